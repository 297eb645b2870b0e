"""Tests, corrections and measures, a file each: TESTS, CORRECTIONS or MEASURES in it are all that a new one needs."""
