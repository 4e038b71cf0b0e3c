"""Every page is driven with everything that is done on it first; how long each act holds the window is `make bench`'s."""

from benchmarks.holds import watch


def test_every_act_is_done_without_a_word(tmp_path):
    """On every page, in the demo study and in one of 50,000 rows; nothing is complained of."""
    told, complaint = watch(tmp_path / "home")
    assert complaint == ""
    assert len(told["held"]) > 35
    assert {label.split(":")[0] for _, label in told["held"]} == {"demo", "50,000 rows"}
