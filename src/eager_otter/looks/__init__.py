"""How reports look and what fixed words they use: themes and languages, shared by every output."""
