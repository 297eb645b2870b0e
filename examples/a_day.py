"""A day's work in Python only; `tools/notebook` makes the notebook of this script."""

# ruff: noqa: B018 # a notebook shows what stands last in a cell, and imports where it needs to

# %% [markdown]
# # A day's work, in Python only
#
# A made-up tracker about sparkling water: two waves, invented brands. Everything that the commands do is a call here,
# in the same words that a plan uses.

# %%
from pathlib import Path
from tempfile import mkdtemp

import pandas as pd

import eager_otter as otter

folder = Path(mkdtemp())
otter.write_demo(folder)
frame = pd.read_csv(folder / "responses.csv", dtype=str)  # as text, so that codes keep their leading zeros
frame.shape

# %% [markdown]
# ## From bare data to a codebook
#
# A draft guesses what each column holds, and says why in a comment. Correct it, then open the survey with it.

# %%
drafted = otter.draft(frame)
print("\n".join(drafted.codebook.splitlines()[:24]))

# %% [markdown]
# This survey has a codebook already. `find` looks for words, square brackets give a question, `overview` counts it.

# %%
survey = otter.open_survey(folder / "codebook.yaml", frame).filtered('status == "complete"')
survey.find("heard")

# %%
survey.overview("heard_of")

# %% [markdown]
# ## A table, and why it says what it says
#
# Words, mappings and lists mean what they mean in a plan: a list in a list nests questions.

# %%
survey.table(
    "liking",
    [["wave", "gender"]],
    tests="rest",
    bases={"mark below": 75},
    sort="down",
    figures="column percent",
)

# %%
liking = survey.table("liking", ["wave", "region"], levels=[95, 90])
liking.explain("Good", "North")

# %% [markdown]
# A slip of the pen is told by the name of the setting.

# %%
try:
    survey.table("liking", "region", figures="colum percent")
except otter.RequestError as error:
    print(error)

# %% [markdown]
# ## A question more
#
# A codebook is changed without writing YAML, and written back: only what is new is written, and comments stay.

# %%
codebook = survey.codebook.with_question(
    "age_wide", otter.define.Bands(of="age", ranges=["16-44", "45+"], label="Age"), after="age_band"
)
codebook = codebook.with_net("heard_of", otter.define.Net(label="Tarn and Skerrow", of=[1, 5], at_least=2))
codebook.save(folder / "codebook.yaml")
survey = otter.open_survey(codebook, frame).filtered('status == "complete"')
survey.table("heard_of", "age_wide", figures="column percent")

# %% [markdown]
# ## A weight

# %%
weighting = otter.weigh(
    survey, {"gender": {"A woman": 51, "A man": 48, "Another gender": 1}}, mean_where_unanswered=True
)
weighting

# %%
weighted = survey.weighted_by(weighting)
tables = weighted.tables(["liking", {"question": "spend", "banner": ["region"], "repeat": "wave"}])
tables[1]

# %% [markdown]
# ## A report made by hand, and one of a plan

# %%
by_hand = otter.report_of([liking, *tables], title="Liking and spend")
by_hand.save(folder / "by-hand.xlsx", folder / "by-hand.html")

# %%
audit = otter.run_audit(folder / "plan.yaml")
audit

# %%
report = otter.run(folder / "plan.yaml")
report.findings(most=5)

# %% [markdown]
# ## What changed since last week
#
# The same plan with another test of percents; causes come first.

# %%
plan_text = otter.plan_text(report.plan).replace("percents: pooled", "percents: unpooled")
today = otter.run(otter.plan_from_text(plan_text, folder))
comparison = otter.compare(report, today)
print(comparison.causes)
comparison

# %% [markdown]
# ## Out again

# %%
comparison.save(folder / "changes.xlsx")
otter.export(survey, folder / "complete.csv")

# %%
print(*sorted(path.name for path in folder.iterdir()), sep="\n")
