"""vettore desktop: put the program into the desktop's menu, with its file type, icon and man page, and take it away again."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import click

from vettore import __version__

MIME_TYPE = "application/x-vettore"
SUMMARY = "Look at measured data, fit models, report values with their uncertainty"
SHELLS = ("bash", "zsh", "fish")


@click.command()
@click.argument("what", type=click.Choice(["add", "remove"]))
@click.option(
    "--for-all",
    "root",
    type=click.Path(path_type=Path),
    help="For all users, under this root: for makers of packages.",
)
def desktop(what: str, root: Path | None) -> None:
    """Add Vettore to the desktop's menu for this user, or remove it.

    What is placed: entry, icon, file type, thumbnails, description, man page, and completion for bash, zsh and fish.
    """
    files = placed_files() if root is None else files_for_all(root)
    for path, file in files.items():
        if what == "add":
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(file(), encoding="utf-8")
        else:
            path.unlink(missing_ok=True)
    if root is None:
        _tell_desktop()
    verb = "added" if what == "add" else "removed"
    click.echo("\n".join(f"{verb} {path}" for path in files))


def placed_files() -> dict[Path, Callable[[], str]]:
    """Return what is placed for a user, and what each file holds."""
    data = _home("XDG_DATA_HOME", ".local/share")
    return {
        **_shared(data, _program()),
        data / "zsh" / "site-functions" / "_vettore": lambda: completion("zsh"),
        _home("XDG_CONFIG_HOME", ".config") / "fish" / "completions" / "vettore.fish": lambda: completion("fish"),
    }


def files_for_all(root: Path) -> dict[Path, Callable[[], str]]:
    """Return what a package places for all users, where distributions look for it."""
    data = root / "usr" / "share"
    return {
        **_shared(data, "vettore"),
        data / "zsh" / "vendor-completions" / "_vettore": lambda: completion("zsh"),
        data / "fish" / "vendor_completions.d" / "vettore.fish": lambda: completion("fish"),
    }


def _shared(data: Path, program: str) -> dict[Path, Callable[[], str]]:
    icon = (Path(__file__).parent.parent / "look" / "desktop" / "vettore.svg").read_text(encoding="utf-8")
    return {
        data / "applications" / "vettore.desktop": lambda: _entry(program),
        data / "mime" / "packages" / "vettore.xml": lambda: MIME,
        data / "thumbnailers" / "vettore.thumbnailer": lambda: _thumbnailer(program),
        data / "metainfo" / "vettore.metainfo.xml": _metainfo,
        data / "icons" / "hicolor" / "scalable" / "apps" / "vettore.svg": lambda: icon,
        data / "icons" / "hicolor" / "scalable" / "mimetypes" / "application-x-vettore.svg": lambda: icon,
        data / "man" / "man1" / "vettore.1": _man_page,
        data / "bash-completion" / "completions" / "vettore": lambda: completion("bash"),
    }


def _home(variable: str, usual: str) -> Path:
    return Path(os.environ.get(variable) or Path.home() / usual)


def _program() -> str:
    """Return how the program is started: the script beside this Python, or the Python itself."""
    script = shutil.which("vettore", path=str(Path(sys.executable).parent)) or shutil.which("vettore")
    words = [script] if script else [sys.executable, "-m", "vettore"]
    return " ".join(f'"{word}"' if " " in word else word for word in words)


def _entry(program: str) -> str:
    return f"""[Desktop Entry]
Type=Application
Version=1.5
Name=Vettore
GenericName=Measured data and fits
Comment={SUMMARY}
Exec={program} %F
Icon=vettore
Terminal=false
Categories=Science;DataVisualization;Education;
Keywords=data;fit;curve;regression;least squares;uncertainty;
MimeType={MIME_TYPE};text/csv;text/tab-separated-values;
StartupWMClass=vettore
"""


def _thumbnailer(program: str) -> str:
    return f"""[Thumbnailer Entry]
Exec={program} thumbnail %i %o --size %s
MimeType={MIME_TYPE};
"""


MIME = f"""<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{MIME_TYPE}">
    <comment>Vettore study</comment>
    <sub-class-of type="application/zip"/>
    <glob pattern="*.vettore"/>
    <magic priority="60">
      <match type="string" offset="0" value="PK\\003\\004">
        <match type="string" offset="30" value="mimetype{MIME_TYPE}"/>
      </match>
    </magic>
    <icon name="application-x-vettore"/>
  </mime-type>
</mime-info>
"""


def _metainfo() -> str:
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<component type="desktop-application">
  <id>vettore</id>
  <metadata_license>CC0-1.0</metadata_license>
  <project_license>MIT</project_license>
  <name>Vettore</name>
  <summary>{SUMMARY}</summary>
  <description>
    <p>Bring in measured data, look at them, fit a model, understand from one sentence whether to believe it, read the value
    with its uncertainty, and hand on a report that reproduces to the last digit.</p>
  </description>
  <launchable type="desktop-id">vettore.desktop</launchable>
  <provides><mediatype>{MIME_TYPE}</mediatype></provides>
  <content_rating type="oars-1.1"/>
  <releases><release version="{__version__}"/></releases>
</component>
"""


def _man_page() -> str:
    from vettore.cli.manual import man_page

    return man_page()


def completion(shell: str) -> str:
    """Return the completion of a shell: ``bash``, ``zsh`` or ``fish``."""
    from click.shell_completion import get_completion_class

    from vettore.cli.program import program

    kind = get_completion_class(shell)
    assert kind is not None
    shell_complete = kind(program, {}, "vettore", "_VETTORE_COMPLETE")
    # Without the shell itself at hand its version is not asked for.
    return shell_complete.source_template % shell_complete.source_vars()


def _tell_desktop() -> None:
    """Let the desktop read its menus and file types again, where its tools are there."""
    data = _home("XDG_DATA_HOME", ".local/share")
    for tool, folder in (("update-mime-database", "mime"), ("update-desktop-database", "applications")):
        program = shutil.which(tool)
        if program and (data / folder).is_dir():
            subprocess.run([program, str(data / folder)], check=False, capture_output=True)
