"""Every kind of number in a table, each an object that knows how it is computed, written, tested and explained."""
