"""Mark, leave untested and withhold thin columns of a table in memory."""

import numpy as np
import pandas as pd

import eager_otter as otter

rng = np.random.default_rng(7)
people = 240
frame = pd.DataFrame(
    {
        "shop": rng.choice([1, 2, 3, 4], people, p=[0.55, 0.3, 0.1, 0.05]),
        "liking": rng.choice([1, 2, 3, 4, 5], people, p=[0.05, 0.1, 0.25, 0.35, 0.25]),
    }
)
codebook = """
title: Bottled lemonade, tasted in shops
questions:
  shop: {kind: single, label: Shop, answers: {1: Harbour, 2: Market, 3: Mill, 4: Station}}
  liking:
    kind: single
    text: How do you like it?
    scale: true
    answers: {1: Very poor, 2: Poor, 3: Fair, 4: Good, 5: Very good}
    nets: [{label: Top two, of: [4, 5]}]
"""
survey = otter.open_survey(otter.codebook_from_text(codebook), frame)
rules = otter.BaseRules(mark=100, no_test=50, withhold=20)
print(survey.table("liking", banner="shop", bases=rules, figures=["column percent", "count", "mean"]))
