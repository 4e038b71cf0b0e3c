"""Write docs/guide/models.md from the catalogue. Run: python tools/models_page.py"""

from __future__ import annotations

from pathlib import Path

from vettore.core.models.catalogue import CATALOGUE

PAGE = Path(__file__).parents[1] / "docs" / "guide" / "models.md"


def main() -> None:
    """Write the page."""
    lines = [
        "# Models",
        "",
        "The catalogue that the line-up of the [Fit page](fit.md) tries. `vettore models` lists it on the command line.",
    ]
    group = ""
    for model in CATALOGUE.values():
        if model.group != group:
            group = model.group
            lines += ["", f"## {group}"]
        meanings = "; ".join(f"*{name}* {words}" for name, words in model.meanings.items())
        lines += ["", f"**{model.name}** `{model.formula}` ({model.key}). {model.use} {meanings}."]
        if model.quantities:
            told = "; ".join(f"{one.name} = `{one.formula}`" for one in model.quantities)
            lines.append(f"It gives {told}.")
    PAGE.write_text("\n".join([*lines, ""]))


if __name__ == "__main__":
    main()
