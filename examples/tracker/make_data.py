"""Draw four waves of a survey about sparkling water, whose questionnaire changed. Nobody in it is real."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pandas as pd

HERE = Path(__file__).parent
PEOPLE = 320
BRANDS = ("Tarn", "Brookfizz", "Quillwater", "Fernwell")
KNOWN = {"Tarn": 0.72, "Brookfizz": 0.55, "Quillwater": 0.31, "Fernwell": 0.12}
GROWTH = {"Tarn": 0.0, "Brookfizz": -0.03, "Quillwater": 0.06, "Fernwell": 0.09}  # a wave


def answers(wave: int, random: np.random.Generator) -> pd.DataFrame:
    """Draw the answers of a wave (0 to 3), as one questionnaire would have had them."""
    region = random.choice([1, 2, 3, 4], PEOPLE, p=[0.3, 0.25, 0.25, 0.2])
    frame = pd.DataFrame(
        {
            "rid": 1000 * (wave + 1) + np.arange(PEOPLE),
            "wt": random.uniform(0.6, 1.5, PEOPLE).round(3),
            "region": region,
            "age": random.integers(18, 80, PEOPLE),
        }
    )
    for k, brand in enumerate(BRANDS, 1):
        share = np.clip(KNOWN[brand] + GROWTH[brand] * wave + 0.08 * (region == 1), 0.02, 0.95)
        frame[f"heard_{k}"] = (random.random(PEOPLE) < share).astype(int)
    frame["heard_9"] = (frame[[f"heard_{k}" for k in range(1, 5)]].sum(axis=1) == 0).astype(int)
    liking = np.clip(np.rint(random.normal(3.3 + 0.1 * wave, 1.0, PEOPLE)), 1, 5).astype(int)
    frame["liking"] = np.where(random.random(PEOPLE) < 0.04, 9, liking)
    frame["where"] = random.choice([1, 2, 3], PEOPLE, p=[0.35, 0.5, 0.15])
    frame["recommend"] = np.clip(np.rint(random.normal(6.6 + 0.2 * wave, 2.4, PEOPLE)), 0, 10).astype(int)
    frame["litres"] = random.exponential(1.6 + 0.1 * wave, PEOPLE).round(1)
    return frame


def as_fielded(wave: int, frame: pd.DataFrame) -> pd.DataFrame:
    """Put the answers of a wave into the questionnaire that it had."""
    if wave == 0:  # Fernwell was not there yet, nobody was asked to recommend, and the shops had other codes
        frame["heard_9"] = (frame[["heard_1", "heard_2", "heard_3"]].sum(axis=1) == 0).astype(int)
        frame["where"] = frame["where"].map({1: 2, 2: 1, 3: 3})
        return frame.drop(columns=["heard_4", "recommend"])
    if wave == 1:  # the columns had other names
        return frame.rename(columns={"liking": "q7", "litres": "q9_litres"})
    if wave == 2:  # liking was not asked
        return frame.drop(columns=["liking"])
    return frame


def main() -> None:
    """Write the data of all waves beside this file."""
    random = np.random.default_rng(20260301)
    for wave, name in enumerate(("2025-spring", "2025-autumn", "2026-spring", "2026-autumn")):
        as_fielded(wave, answers(wave, random)).to_csv(HERE / f"{name}.csv", index=False)


if __name__ == "__main__":
    main()
