"""Files of lookup tables, what a table does by measure, and what one of unknown origin seems to be."""
