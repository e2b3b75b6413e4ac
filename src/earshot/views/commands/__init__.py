"""The command line: one file per command."""
