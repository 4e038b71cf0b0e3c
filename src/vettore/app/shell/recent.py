"""Recent studies, each with a small picture of its plot."""

from __future__ import annotations

import contextlib
import hashlib
import json
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtGui import QPixmap

from vettore.core.errors import VettoreError
from vettore.files.whole import write_whole

MOST = 8
LIST = "studies.json"
PICTURE_WIDTH = 160


@dataclass(frozen=True)
class Recent:
    """A study that was open not long ago; ``picture`` may be missing."""

    path: Path
    picture: Path


def recent_studies(folder: Path) -> list[Recent]:
    """Return the studies opened or saved last that still exist, the newest first."""
    try:
        paths = [Path(text) for text in json.loads((folder / LIST).read_text("utf-8"))]
    except (OSError, ValueError, TypeError):
        return []
    return [Recent(path, _picture(folder, path)) for path in paths if path.exists()]


def note_study(folder: Path, path: Path, picture: QPixmap | None) -> None:
    """Put a study at the head of the list; not being able to is no reason to disturb anyone."""
    with contextlib.suppress(OSError, VettoreError):
        folder.mkdir(parents=True, exist_ok=True)
        paths = [path.resolve(), *(study.path for study in recent_studies(folder) if study.path != path.resolve())][
            :MOST
        ]
        write_whole(folder / LIST, json.dumps([str(file_path) for file_path in paths]).encode())
        if picture is not None and not picture.isNull():
            picture.scaledToWidth(PICTURE_WIDTH).save(str(_picture(folder, path.resolve())))


def _picture(folder: Path, path: Path) -> Path:
    return folder / f"{hashlib.sha256(str(path).encode()).hexdigest()[:16]}.png"
