"""Draw a concept test of two new drinks, seen one after the other by the same people. Nobody in it is real."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pandas as pd

HERE = Path(__file__).parent
PEOPLE = 480


def answers(random: np.random.Generator) -> pd.DataFrame:
    """Draw who they are, what they would buy before and after, and what they think of each concept."""
    age = random.integers(18, 75, PEOPLE)
    first = random.choice([1, 2], PEOPLE)  # which concept was seen first
    taste = random.normal(0, 0.8, PEOPLE)  # one for sour drinks gives both concepts more
    before = np.clip(np.rint(2.6 + 0.6 * taste + random.normal(0, 0.9, PEOPLE)), 1, 5).astype(int)
    frame = pd.DataFrame(
        {"id": np.arange(1, PEOPLE + 1), "age": age, "first": first, "before": before},
    )
    for name, lift in (("rhubarb", 0.75), ("sea_salt", 0.2)):
        young = 0.35 * (age < 35) if name == "sea_salt" else 0.0
        mean = 2.6 + 0.6 * taste + lift + young
        for item, more in (
            ("intent", 0.0),
            ("appeal", 0.25),
            ("different", 0.5 if name == "sea_salt" else -0.1),
        ):
            drawn = np.clip(np.rint(mean + more + random.normal(0, 0.9, PEOPLE)), 1, 5).astype(int)
            frame[f"{name}_{item}"] = drawn
        words = [3, 4, 1, 2] if name == "rhubarb" else [4, 2, 3, 1]
        for k, weight in enumerate(words, 1):
            frame[f"{name}_word_{k}"] = (random.random(PEOPLE) < 0.09 * weight + 0.05).astype(int)
    frame["prefer"] = np.where(
        frame["rhubarb_intent"] - frame["sea_salt_intent"] + random.normal(0, 0.7, PEOPLE) > 0.4,
        1,
        np.where(random.random(PEOPLE) < 0.2, 3, 2),
    )
    return frame


def main() -> None:
    """Write the data beside this file."""
    answers(np.random.default_rng(20260715)).to_csv(HERE / "responses.csv", index=False)


if __name__ == "__main__":
    main()
