"""Routines as one person works on them: the text, its mistakes, a run, what it told."""
