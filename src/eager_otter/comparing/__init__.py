"""Two saved results against each other: what moved, flipped, came, went."""
