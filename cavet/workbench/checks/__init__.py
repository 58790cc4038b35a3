"""Checks as one person works with them: which are run, what came of them, a campaign that goes on meanwhile."""
