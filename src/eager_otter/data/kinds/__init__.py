"""The kinds of questions, a file each: how each is encoded, joined, counted at a glance and exported."""
