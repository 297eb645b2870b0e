"""Question × banner → Table: figures, letters, base rules, order and notes."""
