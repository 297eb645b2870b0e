"""Before against after: the same people, tested in pairs, who moved where, and the working of one letter."""

import numpy as np
import pandas as pd

import eager_otter as otter

rng = np.random.default_rng(11)
before = rng.choice([1, 2, 3, 4, 5], 300, p=[0.15, 0.3, 0.3, 0.15, 0.1])
after = np.clip(before + rng.choice([-1, 0, 1, 2], 300, p=[0.15, 0.45, 0.3, 0.1]), 1, 5)
scale = (
    "kind: single, scale: true, answers: {1: Certainly not, 2: Hardly, 3: Perhaps, 4: Probably, 5: Certainly}"
)
codebook = f"""
title: Elderflower cordial, before and after tasting
questions:
  before: {{label: Before, text: "Would you buy it? (before tasting)", {scale}}}
  after: {{label: After, text: "Would you buy it? (after tasting)", {scale}}}
"""
survey = otter.open_survey(
    otter.codebook_from_text(codebook), pd.DataFrame({"before": before, "after": after})
)
compared = survey.items_table(["before", "after"], shape="answers by items", title="Before and after tasting")
print(compared)
print(compared.explain("Mean", "After"))
print(survey.items_table(["before", "after"], shape="before by after", title="Who moved where"))
