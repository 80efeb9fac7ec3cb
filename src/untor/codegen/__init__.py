"""From IR to Python's syntax tree to code; decides nothing."""
