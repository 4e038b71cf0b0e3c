"""Surfaces of a study: columns, what is kept, files, tables that are grids, and what becomes a series."""

import numpy as np
import pytest

from vettore.core.errors import DataError
from vettore.core.surface.surface import METHODS
from vettore.files.study_file import open_study, save_study
from vettore.study import edits, parts
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.study import Study
from vettore.study.surfaces import (
    area_unit,
    columns_of,
    derive_surface,
    grid_table,
    length_unit,
    matrix_of,
    section_table,
    set_surface,
    sites_of,
    surface_of,
    volume_unit,
)
from vettore.study.table import RawColumn, Source, Table


def study_of(names=("east", "north", "nitrate"), units=("m", "m", "mg/L"), rows=20, extra=()):
    rng = np.random.default_rng(3)
    columns = [RawColumn(n, u, rng.uniform(0, 9, rows)) for n, u in zip(names, units, strict=True)]
    return edits.add_series(Study(), Table((*columns, *extra), Source("made")), "Sites")


def test_the_usual_columns_are_taken_and_others_can_be():
    """x, y, the first other number that is no ±; names that are gone, alike or too few are refused."""
    study = study_of(("x", "y", "± y", "depth"), ("m", "m", "m", "m"))
    series, recipe = study.series[0], SurfaceRecipe(series="s1")
    assert columns_of(series, recipe) == (0, 1, 3)
    with pytest.raises(DataError, match="no column of numbers “salt”"):
        columns_of(series, recipe.changed(z="salt"))
    with pytest.raises(DataError, match="three different columns"):
        columns_of(series, recipe.changed(x="x", y="x", z="depth"))
    two = study_of(("x", "y"), ("m", "m"))
    with pytest.raises(DataError, match="needs three columns of numbers"):
        columns_of(two.series[0], recipe)


def test_rows_set_aside_are_no_sites():
    """And come back; the surface follows."""
    study = study_of()
    recipe = surface_of(study, "s1")
    whole = derive_surface(study.series[0], recipe)
    fewer = edits.set_rows_aside(study, "s1", [4, 5], "spilt")
    assert 4 not in sites_of(fewer.series[0], recipe).rows
    assert len(derive_surface(fewer.series[0], recipe).sites) == len(whole.sites) - 2


def test_what_is_decided_is_kept_in_the_file_and_goes_with_its_series(tmp_path):
    """Every field comes back; one surface for a series; removing the series removes it."""
    study = set_surface(
        study_of(),
        SurfaceRecipe(
            series="s1",
            z="nitrate",
            method="kriging",
            shape=(40, 30),
            scaling="alike",
            parted_at=2.0,
            step=0.5,
            clip=(None, 8.0),
            section=((0.0, 1.0), (5.0, 6.0)),
            read_at=((1.0, 2.0), (3.0, 4.0)),
            outline=((0.0, 0.0), (1.0, 0.0), (1.0, 1.0)),
            level=3.0,
        ),
    )
    save_study(study, tmp_path / "kept.vettore")
    again = open_study(tmp_path / "kept.vettore")
    assert surface_of(again, "s1") == surface_of(study, "s1")
    changed = set_surface(study, surface_of(study, "s1").changed(level=None))
    assert len(changed.all(SurfaceRecipe)) == 1
    assert not parts.remove(changed, "s1").all(SurfaceRecipe)


def test_units_follow_from_those_of_the_columns():
    """Areas and volumes in the units of x, y and z; a length only where x and y have the same."""
    same = sites_of(study_of().series[0], SurfaceRecipe(series="s1"))
    assert (length_unit(same), area_unit(same), volume_unit(same)) == ("m", "m²", "mg·m²/L")
    mixed = sites_of(study_of(units=("h", "m", "°C")).series[0], SurfaceRecipe(series="s1"))
    assert (length_unit(mixed), area_unit(mixed)) == ("", "h·m")


@pytest.mark.parametrize("method", METHODS)
def test_sections_and_grids_become_tables(method):
    """A section is distance, height, places, and the ± where it is known; a grid is all its places."""
    study = study_of()
    series, recipe = study.series[0], surface_of(study, "s1").changed(method=method, shape=(12, 7))
    surface, sites = derive_surface(series, recipe), sites_of(study.series[0], recipe)
    table = section_table(series, sites, surface.section((1, 1), (8, 8), 11))
    known = method in ("smoothing", "kriging")
    assert [column.name for column in table.columns] == [
        "along",
        "nitrate",
        *(["± nitrate"] if known else []),
        "east",
        "north",
    ]
    assert table.columns[0].values[-1] == pytest.approx(7 * np.sqrt(2))
    grid = grid_table(series, sites, surface)
    assert grid.rows == 84
    assert grid.columns[0].values.reshape(7, 12)[0] == pytest.approx(surface.grid.x)
    assert grid.columns[2].values.reshape(7, 12) == pytest.approx(surface.grid.z, nan_ok=True)


def test_a_table_that_is_a_grid_is_recognised():
    """By its headings, or by a first row beside a blank corner; by nothing else."""
    side, top = np.array([10.0, 20.0, 30.0]), (0.0, 1.5, 3.0, 7.0)
    body = [RawColumn(f"{x:g}", "", x + side) for x in top]
    made = matrix_of(Table((RawColumn("depth", "m", side), *body), Source("a file")))
    assert [column.name for column in made.columns] == ["x", "depth", "z"]
    assert made.columns[2].values == pytest.approx(made.columns[0].values + made.columns[1].values)
    cornered = [RawColumn("a", "", np.append(np.nan, side))]
    cornered += [RawColumn(f"c{k}", "", np.append(x, x + side)) for k, x in enumerate(top)]
    assert (
        matrix_of(Table(tuple(cornered), Source("a file"))).columns[2].values.tolist()
        == made.columns[2].values.tolist()
    )
    for bad in (
        (RawColumn("depth", "m", side[[0, 2, 1]]), *body),
        (RawColumn("depth", "m", side), *(RawColumn(name, "", side) for name in "abcd")),
        (RawColumn("depth", "m", side), body[0], body[2], body[1], body[3]),
        (RawColumn("depth", "m", side), *body[:2]),
    ):
        assert matrix_of(Table(bad, Source("a file"))) is None
