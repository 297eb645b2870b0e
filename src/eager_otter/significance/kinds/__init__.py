"""The tests and corrections there are, a file each: a module with TESTS or CORRECTIONS is all that a new one needs."""
