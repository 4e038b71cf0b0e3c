"""vettore surface: scattered sites on an even grid, values read from the surface, hills and hollows."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click
import numpy as np

from vettore.cli.given import Reading, column_of, number_of, numbers_of, say_json, table_of, table_options
from vettore.core.errors import DataError, Fault


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--x", "x_name", help="Column for x.")
@click.option("--y", "y_name", help="Column for y.")
@click.option("--z", "z_name", help="Column for z.")
@click.option("--method", default="thin_plate", show_default=True, help="A wrong one lists all.")
@click.option("--shape", "shape_text", default="80x80", show_default=True, help="Places of the grid, across x along.")
@click.option("--at", "at_texts", multiple=True, help="A place to read at, as 12; 30. May be given several times.")
@click.option("--level", type=float, help="Tell area and volume above this height.")
@click.option(
    "--alike", is_flag=True, help="Take a unit of x as long as one of y; else both are brought to their spans."
)
@click.option(
    "-o", "--output", type=click.Path(path_type=Path), help="Write the grid: x,y,z as .csv or .tsv, or .h5."
)
@click.option("--matrix", is_flag=True, help="Write the grid with x along the top and y down the side.")
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
@table_options
def surface(
    read: Reading,
    file: Path,
    x_name: str | None,
    y_name: str | None,
    z_name: str | None,
    method: Any,
    shape_text: str,
    at_texts: tuple[str, ...],
    level: float | None,
    alike: bool,
    output: Path | None,
    matrix: bool,
    as_json: bool,
) -> None:
    """Fill between scattered sites."""
    from vettore import core
    from vettore.study.surfaces import matrix_of

    if matrix and output is None:
        raise DataError("--matrix says how the grid is written: give a file with -o.", Fault.NO_EFFECT)
    table = table_of(file, read)
    grid = matrix_of(table) if x_name is y_name is z_name is None else None
    if grid is not None:
        click.echo("; ".join(f"{label}: {text}" for label, text in grid.source.how[-1:]), err=True)
    columns = numbers_of(grid or table)
    if len(columns) < 3:
        raise DataError(f"“{file.name}” has {len(columns)} columns of numbers; three are needed.", Fault.TOO_FEW)
    names = [column_of(columns, name, place, file) for place, name in enumerate((x_name, y_name, z_name))]
    if len(set(names)) < 3:
        raise DataError(f"x, y and z are three different columns; {', '.join(names)} were given.", Fault.CONFLICT)
    places = [_place(text) for text in at_texts]
    result = core.grid(
        *(columns[name] for name in names),
        method=method,
        shape=_shape(shape_text),
        scaling="alike" if alike else "spans",
    )
    if output is not None:
        _write(result, names, output, matrix)
    by_name = _as_json(result, places, level)
    if as_json:
        say_json("surface/1", by_name)
        return
    _say(by_name, names)


def _as_json(result: Any, places: list[tuple[float, float]], level: float | None) -> dict[str, Any]:
    """Return all that is told of a surface."""
    summits = [
        {
            "kind": str(summit.shape),
            "x": summit.x,
            "y": summit.y,
            "z": summit.z,
            "standard_error": summit.standard_error,
            "prominence": summit.prominence,
            "sites": summit.sites,
        }
        for summit in result.summits()
    ]
    return {
        "method": result.method,
        "sites": len(result.sites),
        "left_out_error": result.left_out_error,
        "noise": result.noise,
        "summits": summits,
        "covered": _covered(result.covered(level), level),
        "at": [_read(result, x, y) for x, y in places],
        "notes": list(result.notes),
    }


def _shape(text: str) -> tuple[int, int]:
    parts = text.lower().replace("×", "x").split("x")
    if len(parts) != 2 or not all(part.strip().isdecimal() for part in parts):
        raise DataError(
            f"“{text}” is not the shape of a grid. Give places across and along, as 80x54.", Fault.NOT_READABLE
        )
    return int(parts[0]), int(parts[1])


def _place(text: str) -> tuple[float, float]:
    parts = text.split(";") if ";" in text else text.replace(",", " ").split()
    if len(parts) != 2:
        raise DataError(f"“{text}” is not a place. Give x and y, as 12; 30.", Fault.NOT_READABLE)
    return number_of(parts[0].strip(), "x"), number_of(parts[1].strip(), "y")


def _covered(covered: Any, level: float | None) -> dict[str, float]:
    by_name = {"area": covered.area, "mean": covered.mean, "volume": covered.volume}
    if level is not None:
        by_name |= {"level": level, "area_above": covered.area_above, "above": covered.above, "below": covered.below}
    return by_name


def _read(result: Any, x: float, y: float) -> dict[str, Any]:
    distance, site = result.nearest(x, y)
    return {
        "x": x,
        "y": y,
        "z": float(result(x, y)),
        "standard_error": float(result.standard_error(x, y)),
        "nearest_distance": float(distance),
        "nearest_z": float(result.z[int(site)]),
        "guess": bool(result.guess(x, y)),
    }


def _say(by_name: dict[str, Any], names: list[str]) -> None:
    click.echo(f"{by_name['sites']} sites, {by_name['method']}, left-out error {by_name['left_out_error']!r}")
    for summit in by_name["summits"]:
        error = summit["standard_error"]
        ends = "" if np.isnan(error) else f" ± {error:.2g}"
        click.echo(f"{summit['kind']}\t{summit['x']:.6g}\t{summit['y']:.6g}\t{summit['z']:.6g}{ends}")
    for key, value in by_name["covered"].items():
        click.echo(f"{key.replace('_', ' ')}\t{value!r}")
    for read in by_name["at"]:
        where = f"{names[0]} {read['x']!r}, {names[1]} {read['y']!r}"
        if np.isnan(read["z"]):
            click.echo(f"{where}: outside the sites")
            continue
        error = "" if np.isnan(read["standard_error"]) else f" ± {read['standard_error']!r}"
        guess = " (a guess: no site near)" if read["guess"] else ""
        click.echo(f"{where}: {names[2]} {read['z']!r}{error}{guess}")
    for note in by_name["notes"]:
        click.echo(note, err=True)


def _write(result: Any, names: list[str], output: Path, matrix: bool) -> None:
    from vettore.files.whole import write_whole

    grid, kind = result.grid, output.suffix.lower()
    if kind == ".h5":
        write_whole(output, _hdf5(grid, names))
        return
    if kind not in (".csv", ".tsv", ".txt"):
        raise DataError(f"A grid is written as .csv, .tsv, .txt or .h5, not as “{kind}”.", Fault.FILE_KIND)
    mark = "," if kind == ".csv" else "\t"
    lines = [mark.join(names)]
    if matrix:
        lines = [mark.join(["", *(repr(x) for x in grid.x.tolist())])]
        lines += [
            mark.join([repr(y), *("" if np.isnan(z) else repr(z) for z in row)])
            for y, row in zip(grid.y.tolist(), grid.z.tolist(), strict=True)
        ]
    else:
        for y, row in zip(grid.y.tolist(), grid.z.tolist(), strict=True):
            lines += [
                mark.join([repr(x), repr(y), repr(z)])
                for x, z in zip(grid.x.tolist(), row, strict=True)
                if not np.isnan(z)
            ]
    write_whole(output, ("\n".join(lines) + "\n").encode())


def _hdf5(grid: Any, names: list[str]) -> bytes:
    """Return a grid as HDF5 with x and y as the scales of the dimensions of z, as NetCDF has them."""
    import io

    import h5py

    out = io.BytesIO()
    with h5py.File(out, "w") as file:
        x, y = file.create_dataset(names[0], data=grid.x), file.create_dataset(names[1], data=grid.y)
        z = file.create_dataset(names[2], data=grid.z)
        for place, (scale, name) in enumerate(((y, names[1]), (x, names[0]))):
            scale.make_scale(name)
            z.dims[place].attach_scale(scale)
    return out.getvalue()
