"""Make one table of the demo survey in Python, look at it, and take figures out."""

from pathlib import Path
from tempfile import TemporaryDirectory

import eager_otter as otter
from eager_otter.demo.files import write_demo

with TemporaryDirectory() as folder:
    write_demo(Path(folder))
    survey = otter.open_survey(Path(folder) / "codebook.yaml", Path(folder) / "responses.csv")

survey = survey.filtered('status == "complete"')
table = survey.table("drunk_month", banner=["wave", "region"], levels=(95, 90))
print(table)
print("As a chart:", table.chart().save("drunk_month.png"))  # in a notebook, table.chart() shows itself

print("\nAs a frame:")
print(table.frame("column percent").round(1).head(3).to_string())

spring, autumn = table.value("Tarn", "Spring"), table.value("Tarn", "Autumn")
print(f"\nTarn went from {spring:.1f} % in spring to {autumn:.1f} % in autumn.")
