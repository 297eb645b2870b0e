"""Weights made here: raking to targets per question, with a report of what it took."""
