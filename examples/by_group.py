"""Fit a model to each group of a data frame, and gather the coefficients in one tidy frame.

    python examples/by_group.py [TABLE.csv]

Without a table it makes up one: light measured under the algae mat of three ponds.
"""

import sys

import numpy as np
import pandas as pd

from vettore import core


def made_up() -> pd.DataFrame:
    rng, depth = np.random.default_rng(1), np.linspace(0.1, 2.0, 16)
    ponds = {"north": 1.1, "south": 1.9, "weir": 2.6}
    frames = [
        pd.DataFrame({"pond": pond, "depth": depth, "light": 800 * np.exp(-k * depth) + rng.normal(0, 8, 16)})
        for pond, k in ponds.items()
    ]
    # One group that no curve goes through: it is a row with its reason, not the end.
    frames.append(pd.DataFrame({"pond": "ditch", "depth": [0.5, 1.0], "light": [300.0, 90.0]}))
    return pd.concat(frames, ignore_index=True)


def fit_each(frame: pd.DataFrame, by: str, formula: str) -> pd.DataFrame:
    rows = []
    for name, group in frame.groupby(by, sort=True):
        try:
            result = core.fit(formula, {column: group[column].to_numpy(float) for column in ("depth", "light")})
        except core.VettoreError as error:
            rows.append({by: name, "reason": str(error)})
            continue
        told = result.to_frame()[["coefficient", "value", "standard_error", "low", "high"]]
        rows += told.assign(**{by: name, "n": result.n, "converged": result.converged}).to_dict("records")
    told = [by, "coefficient", "value", "standard_error", "low", "high", "n", "converged", "reason"]
    return pd.DataFrame(rows, columns=told)


if __name__ == "__main__":
    data = pd.read_csv(sys.argv[1]) if len(sys.argv) > 1 else made_up()
    print(fit_each(data, "pond", "light = I0*exp(-k*depth) + L").to_string(index=False))
