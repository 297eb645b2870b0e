"""The figures there are, a file each: a module with its FIGURES is all that a new one needs."""
