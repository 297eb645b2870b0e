"""The themes that ship."""
