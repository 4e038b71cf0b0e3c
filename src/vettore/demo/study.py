"""The demo study: the Reedbed files read in, two of them fitted, one row set aside."""

from __future__ import annotations

from vettore.demo.make_data import FOLDER
from vettore.files.delimited import read_table
from vettore.study import edits
from vettore.study.kinds.readings import PlaceReading, ValueReading
from vettore.study.study import Study

SERIES = {
    "nitrate-probe.csv": "Nitrate probe",
    "stage-discharge.tsv": "Stage–discharge rating",
    "oxygen-chamber-b.csv": "Oxygen, chamber B",
    "dye-pulse-weir.tsv": "Dye pulse, weir",
    "light-response.csv": "Light response, algae",
    "pond-temperature.csv": "Pond temperature",
    "nitrate-sites.txt": "Nitrate, reed bed",
    "pigments-pond4.csv": "Pigments, pond 4",
    "tannins.tsv": "Tannins, reed leachate",
    "nitrification-chamber-e.csv": "Nitrification, chamber E",
}


def demo_study() -> Study:
    """Return the Reedbed study."""
    study = Study(title="Reedbed station — week 23")
    for file, name in SERIES.items():
        table, _ = read_table(FOLDER / file)
        study = edits.add_series(study, table, name)
    ids = {series.name: series.id for series in study.series}
    study = edits.set_rows_aside(study, ids["Nitrate probe"], [10], "probe knocked")
    study = edits.set_rows_aside(study, ids["Oxygen, chamber B"], [9], "bubble on sensor")
    study = edits.add_fit(study, ids["Nitrate probe"], 1)
    line = study.curves[-1].id
    study = edits.keep(study, PlaceReading(curve=line, at=250.0, name="River sample"))
    study = edits.add_fit(study, ids["Stage–discharge rating"], 2)
    rating = study.curves[-1].id
    study = edits.keep(study, ValueReading(curve=rating, at=0.7, name="At the summer mark"))
    title = "Rating of the outflow weir"
    return edits.set_report(study, study.report.changed(title=title, curve=rating))
