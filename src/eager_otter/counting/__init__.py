"""Banner and rows to be counted, and their sums: what a table rests on."""
