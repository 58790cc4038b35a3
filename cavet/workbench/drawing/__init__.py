"""Everything that is drawn, as plain functions onto a canvas of cells: no widget, no bench."""
