"""The finished table as data, and what is wanted of one: columns, lines, notes, tests, texts."""
