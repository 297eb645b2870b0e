"""What was asked: questions, answers, nets, bands and derived answers."""
