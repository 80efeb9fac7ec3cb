"""The command line: one module a command; parse, call, report, exit status."""
