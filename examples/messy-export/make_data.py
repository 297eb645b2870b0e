"""Draw an export as survey platforms write it, with the slips that come with it. Nobody in it is real."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np

HERE = Path(__file__).parent
PEOPLE = 420
BRANDS = ("Tarn", "Brookfizz", "Quillwater", "Fernwell")
REGIONS = ("North", "East", "South", "West")
LIKING = ("Not at all", "Not much", "Neither", "Rather", "Very much")
HEADINGS = [
    "Response ID",
    "Status",
    "Minutes",
    "Q1. In which region do you live?",
    "Q2. How old are you?",
    *(f"Q3. Which of these brands have you heard of? [{brand}]" for brand in BRANDS),
    "Q3. Which of these brands have you heard of? [None of these]",
    *(f"Q4. How much do you like … - {brand}" for brand in BRANDS[:2]),
    "Q5. Where do you buy it? Please tick all that apply.",
    "Q6. What do you spend in a month?",
    "Q7. Anything else?",
    "weight",
]


def rows(random: np.random.Generator) -> list[list[object]]:
    """Draw the answers, a list for each respondent."""
    found: list[list[object]] = []
    for k in range(PEOPLE):
        region = int(random.choice(4, p=[0.34, 0.26, 0.22, 0.18]))
        age = int(random.integers(18, 80))
        heard = [random.random() < share + 0.1 * (region == 0) for share in (0.7, 0.5, 0.3, 0.15)]
        liking = [
            int(random.choice([1, 2, 3, 4, 5, 99], p=[0.06, 0.12, 0.24, 0.32, 0.2, 0.06])) if known else ""
            for known in heard[:2]
        ]
        shops = [shop for shop in ("Corner shop", "Supermarket", "Online") if random.random() < 0.45]
        spend = f"{random.gamma(2.0, 9.0):.2f}"
        said = random.choice(["", "", "", "More bubbles, please", "None", "Too dear"])
        minutes = round(float(random.gamma(9.0, 1.1)), 1)
        found.append([
            f"R{1000 + k}", "Complete" if random.random() < 0.95 else "Partial", minutes, REGIONS[region], age,
            *("Yes" if one else "No" for one in heard), "No" if any(heard) else "Yes",
            *liking, "; ".join(shops), spend, said, round(float(random.uniform(0.5, 1.8)), 3),
        ])  # fmt: skip
    return found


def spoiled(answers: list[list[object]]) -> list[list[object]]:
    """Make the slips that the audit is to find."""
    answers[17][4] = 999  # an age far out
    answers[40][2] = 1.1  # too fast
    answers[63][3] = "north"  # spelt otherwise
    answers[120][0] = answers[119][0]  # an id that stands twice
    answers[200][13] = "n.s."  # a word among numbers
    return answers


def main() -> None:
    """Write the export, and the labels of its codes, beside this file."""
    answers = spoiled(rows(np.random.default_rng(20260502)))
    with (HERE / "export.csv").open("w", newline="", encoding="utf-8") as file:
        csv.writer(file).writerows([HEADINGS, *answers])
    with (HERE / "labels.csv").open("w", newline="", encoding="utf-8") as file:
        labels = [["variable", "code", "label"]]
        for brand in BRANDS[:2]:
            name = f"Q4. How much do you like … - {brand}"
            labels += [[name, str(code), label] for code, label in enumerate(LIKING, 1)] + [
                [name, "99", "Don't know"]
            ]
        csv.writer(file).writerows(labels)


if __name__ == "__main__":
    main()
