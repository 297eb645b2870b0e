"""Sums to a finished table: lines with figures, letters and marks, notes, by the shape of the table."""
