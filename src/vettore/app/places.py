"""Where the program keeps what is not part of a study: journals, remembered readings, settings."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

HOME = "VETTORE_HOME"


@dataclass(frozen=True)
class Places:
    """Folders and files of this user."""

    journal: Path
    remembered: Path
    recent: Path
    library: Path
    settings: Path


def places() -> Places:
    """Return the places of this user; the variable VETTORE_HOME puts them all into one folder."""
    if os.environ.get(HOME):
        home = Path(os.environ[HOME])
        return Places(
            home / "journal",
            home / "remembered.json",
            home / "recent",
            home / "my-models.json",
            home / "settings.json",
        )
    from platformdirs import user_config_path, user_state_path

    state, config = user_state_path("vettore"), user_config_path("vettore")
    return Places(
        state / "journal",
        config / "remembered.json",
        state / "recent",
        config / "my-models.json",
        config / "settings.json",
    )
