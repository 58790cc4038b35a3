"""Pictures of what is known: as cells of a terminal, and as files to print."""
