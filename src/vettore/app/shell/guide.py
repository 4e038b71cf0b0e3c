"""The guide: Markdown pages of docs/guide with their headings, found by their words. Knows no widget."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path

PACKAGE = Path(__file__).parents[2]
# In an installed package the guide lies beside it, in a checkout under docs.
FOLDERS = (PACKAGE / "guide", PACKAGE.parents[1] / "docs" / "guide")
INDEX, TASKS = "index.md", "tasks.md"
# In the order of the work; other pages stand after these.
ORDER = ("index", "tasks", "data", "fit", "models", "interpolate", "integrate", "polynomial", "report")
# Words shown around what was found.
AROUND = 60


@dataclass(frozen=True)
class Place:
    """A heading of a page with the text under it, up to the next; ``anchor`` is how links write the heading."""

    page: str
    heading: str
    level: int
    text: str

    @property
    def anchor(self) -> str:
        """The heading as links write it."""
        return anchor_of(self.heading)

    @property
    def link(self) -> str:
        """The name of the page with the anchor."""
        return self.page if self.level == 1 else f"{self.page}#{self.anchor}"


@dataclass(frozen=True)
class Hit:
    """A place that holds what was looked for, and the words around it."""

    place: Place
    around: str


def guide_folder() -> Path:
    """Return where the guide is."""
    return next((folder for folder in FOLDERS if folder.is_dir()), FOLDERS[-1])


def anchor_of(heading: str) -> str:
    """Return a heading as links to it are written in Markdown: small letters, hyphens for spaces, no signs."""
    return re.sub(r"[^\w\- ]", "", heading.casefold()).strip().replace(" ", "-")


def places() -> tuple[Place, ...]:
    """Return all headings of the guide in the order of the work."""
    pages = sorted(guide_folder().glob("*.md"), key=_rank)
    return tuple(place for page in pages for place in places_on(page.name))


@cache
def places_on(page: str) -> tuple[Place, ...]:
    """Return the headings of one page."""
    return tuple(_places_of(guide_folder() / page))


def find(words: str) -> list[Hit]:
    """Return the places that hold every one of the words; those with them in the heading first."""
    wanted = words.casefold().split()
    out: list[tuple[int, Hit]] = []
    for place in places() if wanted else ():
        heading, text = place.heading.casefold(), place.text.casefold()
        if not all(word in heading or word in text for word in wanted):
            continue
        missing = sum(word not in heading for word in wanted)
        at = min((text.find(word) for word in wanted if word in text), default=0)
        start = max(0, at - AROUND)
        cut = place.text[start : at + AROUND].strip()
        out.append((missing, Hit(place, f"… {cut} …" if start else f"{cut} …")))
    return [hit for _, hit in sorted(out, key=lambda ranked: ranked[0])]


def _rank(page: Path) -> tuple[int, str]:
    return (ORDER.index(page.stem) if page.stem in ORDER else len(ORDER), page.stem)


def _places_of(page: Path) -> Iterator[Place]:
    heading, level, lines = page.stem, 1, list[str]()
    begun = False
    for line in page.read_text(encoding="utf-8").splitlines():
        if re.match(r"#{1,6} ", line):
            if begun:
                yield Place(page.name, heading, level, _plain(lines))
            heading, level, lines, begun = line.lstrip("# "), len(line) - len(line.lstrip("#")), [], True
        else:
            lines.append(line)
    yield Place(page.name, heading, level, _plain(lines))


def _plain(lines: list[str]) -> str:
    """Return Markdown without its marks, as it is searched and quoted."""
    text = re.sub(r"!?\[([^\]]*)\]\([^)]*\)", r"\1", " ".join(lines))
    return re.sub(r"\s+", " ", re.sub(r"[*`|]|-{3,}", "", text)).strip()
