"""The codebook: questions, answers, nets, bands and derived answers."""
