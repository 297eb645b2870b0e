"""The shapes of tables, a class each: what it counts, how it is laid out, its lines and how it is read."""
