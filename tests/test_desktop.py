"""Into the desktop's menu and out of it again: entry, icon, file type known by its contents, man page, completion."""

import configparser
import shutil
import subprocess
import xml.etree.ElementTree as xml

import pytest

from vettore.cli import main
from vettore.cli.desktop import MIME_TYPE, completion
from vettore.demo.study import demo_study
from vettore.files.study_file import save_study, study_bytes, study_from_bytes


def run(*words):
    with pytest.raises(SystemExit) as ended:
        main(list(words))
    return ended.value.code


def test_it_is_added_and_leaves_no_trace(tmp_path, monkeypatch, capsys):
    """Every file is where desktops look, reads as what it is, and goes again."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    assert run("desktop", "add") == 0
    placed = [line.removeprefix("added ") for line in capsys.readouterr().out.splitlines()]
    assert len(placed) == 10
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str
    entry.read(tmp_path / "data" / "applications" / "vettore.desktop")
    told = entry["Desktop Entry"]
    assert (told["Type"], told["Icon"], told["Exec"].endswith(" %F")) == ("Application", "vettore", True)
    assert MIME_TYPE in told["MimeType"].split(";")
    for name in (
        "mime/packages/vettore.xml",
        "metainfo/vettore.metainfo.xml",
        "icons/hicolor/scalable/apps/vettore.svg",
    ):
        xml.parse(tmp_path / "data" / name)
    assert run("desktop", "remove") == 0
    left = [path for path in (tmp_path / "data").rglob("*vettore*") if path.is_file()]
    assert not left
    assert not [path for path in (tmp_path / "config").rglob("*") if path.is_file()]


def test_a_study_is_known_by_its_contents(tmp_path):
    """Its first entry is its type, unpacked; the same study is the same file; one without it still opens."""
    data = study_bytes(demo_study())
    assert data[30:38] == b"mimetype"
    assert data[38 : 38 + len(MIME_TYPE)] == MIME_TYPE.encode()
    assert study_from_bytes(data, "a.vettore").title == demo_study().title
    if shutil.which("file"):
        save_study(demo_study(), tmp_path / "a.bin")
        told = subprocess.run(["file", str(tmp_path / "a.bin")], capture_output=True, text=True, check=True).stdout
        assert "vettore" in told.lower() or "zip" in told.lower()


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_each_shell_has_its_completion(shell):
    """It asks the program itself, so that it never says what is not there."""
    text = completion(shell)
    assert "_VETTORE_COMPLETE" in text
    if shell == "bash" and shutil.which("bash"):
        subprocess.run(["bash", "-n"], input=text, text=True, check=True)
