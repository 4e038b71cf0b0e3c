"""The one theme file: every colour and size on screen and on paper comes from here."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

FONT_FOLDER = Path(__file__).parent / "fonts"
TICK_FILE = Path(__file__).parent / "tick.svg"
ARROW_FILE = Path(__file__).parent / "arrow-down.svg"
SANS = "Inter"
SERIF = "STIXGeneral"
FONT_FILES = (
    "Inter-Regular.otf",
    "Inter-Medium.otf",
    "Inter-SemiBold.otf",
    "STIXGeneral-Regular.otf",
    "STIXGeneral-Italic.otf",
)


@dataclass(frozen=True)
class Theme:
    """Colours by role, as ``#rrggbb``."""

    canvas: str
    panel: str
    plot_ground: str
    grid: str
    rule: str
    ink: str
    muted: str
    accent: str
    soft: str
    data: str
    fit: str
    good: str
    look: str
    bad: str
    on_accent: str
    series: tuple[str, ...]
    # Heights of a surface from low to high, light to dark in one steady ramp, so that they are told apart in grey, too;
    # and from one side of a level to the other.
    heights: tuple[str, ...] = ("#F6F1E4", "#BED6CB", "#549896", "#1B5F68", "#0E2C34")
    parted: tuple[str, ...] = ("#1B6B72", "#8FBDB4", "#F6F1E4", "#E0A878", "#8A3F0D")


PAPER = Theme(
    canvas="#EFEBE2",
    panel="#FBF9F4",
    plot_ground="#FFFFFF",
    grid="#ECE7DC",
    rule="#DAD3C4",
    ink="#22313A",
    # A shade darker than the sketch: 4.5 : 1 on the canvas, too.
    muted="#5A6870",
    accent="#1B6B72",
    soft="#DCE9E7",
    data="#333C42",
    # Texts have these three colours, too: darker than the sketch by what 4.5 : 1 on the panel asks for.
    fit="#B75715",
    good="#3A7749",
    look="#9B680F",
    bad="#A2322D",
    on_accent="#FFFFFF",
    series=("#333C42", "#5F7A2E", "#7A3E6D", "#B7892B", "#4C5F9E", "#B8476B", "#6E5A48"),
)

LAMP = Theme(
    canvas="#15191C",
    panel="#1D2327",
    plot_ground="#171C1F",
    grid="#262D31",
    rule="#353E43",
    ink="#E6E1D6",
    muted="#9AA5AB",
    accent="#5FB3B3",
    soft="#23383A",
    data="#C3CCD2",
    fit="#EBA468",
    good="#78BE8B",
    look="#E0B04E",
    bad="#E2776F",
    on_accent="#15191C",
    series=("#C3CCD2", "#A9C774", "#C78ABA", "#E0BB6A", "#98A9E0", "#E58CA8", "#BCA68F"),
)


@dataclass(frozen=True)
class Sizes:
    """Type sizes and measures in logical pixels."""

    small: float = 10.5
    text: float = 12.5
    head: float = 15.0
    display: float = 26.0
    rail: int = 72
    choices: int = 228
    findings: int = 316
    # In a window narrower than this the side columns give way, so that the stage keeps half the width.
    narrow_window: int = 1180
    narrow_rail: int = 64
    narrow_choices: int = 192
    narrow_findings: int = 256
    radius: int = 6


SIZES = Sizes()


def luminance(colour: str) -> float:
    """Return the relative luminance of a colour (WCAG 2)."""
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(first: str, second: str) -> float:
    """Return the contrast of two colours, 1 … 21 (WCAG 2)."""
    light, dark = sorted((luminance(first), luminance(second)), reverse=True)
    return (light + 0.05) / (dark + 0.05)
