"""How this user wants the window to look: colours, text size, motion. Kept in a file of their own."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from enum import StrEnum
from pathlib import Path

from vettore.files.whole import write_whole

# Sizes of the text that are offered, in percent of the usual one; the whole interface grows with it.
TEXT_SIZES = (100, 125, 150, 200)


class Colours(StrEnum):
    """Which of the two themes is shown."""

    DESKTOP = "as the desktop"
    PAPER = "paper"
    LAMP = "lamp (dark)"


@dataclass(frozen=True)
class Settings:
    """``still`` says that nothing is to move by itself; ``text`` is one of TEXT_SIZES."""

    colours: Colours = Colours.DESKTOP
    still: bool = False
    text: int = 100


def read_settings(path: Path) -> Settings:
    """Return what is kept there; what is missing or makes no sense is as usual."""
    try:
        kept = json.loads(path.read_text("utf-8"))
    except (OSError, ValueError):
        return Settings()
    if not isinstance(kept, dict):
        return Settings()
    usual = Settings()
    colours = kept.get("colours")
    text = kept.get("text")
    return Settings(
        Colours(colours) if colours in list(Colours) else usual.colours,
        kept.get("still") is True,
        text if text in TEXT_SIZES else usual.text,
    )


def write_settings(path: Path, settings: Settings) -> None:
    """Keep settings there. Raises FileError."""
    write_whole(path, json.dumps(asdict(settings), indent=1).encode(), make_folder=True)
