"""A bench that others follow by lines: what it says on standard output, and what is asked on standard input."""
