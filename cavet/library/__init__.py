"""Cavet for scripts and tests. `import cavet` and `cavet.aio` show what is meant for them."""
