"""A first codebook and plan from bare data: every guess with its reason, for an analyst to correct."""
