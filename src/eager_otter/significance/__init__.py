"""Tests of pairs of columns, and corrections for many of them: each an object with its formula, source and words."""
