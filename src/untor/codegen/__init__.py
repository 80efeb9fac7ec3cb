"""From plan to Python's syntax tree to code; decides nothing."""
