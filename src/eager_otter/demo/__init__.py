"""The demo: a made-up tracker about sparkling water, two waves, invented brands, from a seeded generator."""
