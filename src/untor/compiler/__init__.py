"""From source to code; knows no engine."""
