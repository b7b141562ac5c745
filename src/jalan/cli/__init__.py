"""The command line: thin commands over the use-cases."""
