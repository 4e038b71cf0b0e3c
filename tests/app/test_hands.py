"""Lists of acts that random hands once failed by are done without a word; so is every kind of act."""

import json
from pathlib import Path

import pytest
from tools.hands import again

KEPT = sorted((Path(__file__).parent / "hands").glob("*.json"))
EVERY = [
    ["page", "Fit"],
    ["button", ["QPushButton", "Report"]],
    ["paste", "1\t2\n2\t3\n3\t5"],
    ["menu", "Paste as a series"],
    ["page", "Data"],
    ["table", ["SeriesTable", "Table of the series"], 1, 0, "7"],
    ["page", "Interpolate"],
    ["plot", ["Plot", ""], [[0.2, 0.3], [0.4, 0.5]], "", "left"],
    ["series", 2],
    ["page", "Fit"],
    ["combo", ["QComboBox", "What else to read"], 3],
    ["key", "Z", "ctrl"],
    ["drop"],
    ["resize", 1024, 700],
    ["window"],
    ["rest", 50],
    ["window"],
]


@pytest.mark.parametrize("path", KEPT, ids=[path.stem for path in KEPT])
def test_what_once_failed_is_done(path):
    """In a window of its own, in the order in which it was done."""
    assert {key for key in again(json.loads(path.read_text())) if not key.startswith("hold")} == set()


def test_every_kind_of_act_is_done():
    """The hands themselves reach what they are meant for."""
    assert {key for key in again(EVERY) if not key.startswith("hold")} == set()
