"""The screens: each owns its widgets and answers one question."""
