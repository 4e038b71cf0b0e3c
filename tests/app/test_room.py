"""Room for the plot, and nothing cut or outside the window: the worst case of each page, measured in the real window."""

import importlib.util
import sys
from pathlib import Path

import pytest

from vettore.app.style import dress
from vettore.report.sections.listed import SECTIONS
from vettore.study import edits

TOOL = Path(__file__).parents[2] / "tools" / "room.py"
spec = importlib.util.spec_from_file_location("room", TOOL)
room = importlib.util.module_from_spec(spec)
sys.modules["room"] = room
spec.loader.exec_module(room)

# The height of the plot on Fit and of the strip, at most, by the size of the window.
LIMITS = {(1280, 800): (330, 96), (1024, 700): (260, 88)}


@pytest.mark.parametrize(
    ("case", "size"),
    [("60 characters", (1024, 700)), ("12 coefficients", (1280, 800)), ("tiny", (1024, 700))],
    ids=["60 characters", "12 coefficients", "tiny numbers"],
)
def test_pages_keep_their_room(qapp, monkeypatch, tmp_path, size, case):
    """The plot has its height on Fit and half of the stage everywhere; no text is cut, nothing is outside."""
    monkeypatch.setenv("VETTORE_HOME", str(tmp_path))
    dress(qapp)
    plot, strip = LIMITS[size]
    # What the report holds is drawn in the background; its page is the same without.
    quick = {
        name: edits.set_report(study, study.report.changed(left_out=tuple(entry.key for entry in SECTIONS)))
        for name, study in room.cases().items()
        if name == case
    }
    monkeypatch.setattr(room, "cases", lambda: quick)
    for told in room.survey(qapp, (size,), (case,)):
        assert told.cut == (), told
        assert told.outside == (), told
        assert told.share >= 0.5, told
        if told.page == "Fit":
            assert told.plot >= plot, told
            assert 0 < told.strip <= strip, told
