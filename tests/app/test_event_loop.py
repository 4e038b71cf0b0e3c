"""Every page is driven with everything that is done on it first; how long each act holds the window is `make bench`'s."""

from benchmarks.holds import watch


def test_every_act_is_done_without_a_word(tmp_path):
    """On every page, in the demo study; nothing is complained of."""
    told, complaint = watch(tmp_path / "home", rows=0)
    assert complaint == ""
    assert len(told["held"]) > 20
    assert {label.split(":")[0] for _, label in told["held"]} == {"demo"}
