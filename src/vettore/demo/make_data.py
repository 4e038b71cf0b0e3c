"""Make the Reedbed data, each file as such an instrument would write it. Run: python -m vettore.demo.make_data

The station, its people and its numbers are made up. The seed is fixed, so the files come out the same.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

FOLDER = Path(__file__).parent / "data"
SEED = 2306


def nitrate_probe(rng: np.random.Generator) -> bytes:
    """Calibration of a nitrate probe: six standards, three repeats each, one reading far off."""
    standards = np.repeat([0.0, 2.0, 4.0, 6.0, 8.0, 10.0], 3)
    signal = 11.8 + 42.35 * standards + rng.normal(0, 2.4, len(standards))
    signal[10] += 31.0
    lines = ['"standard (mg/L)","signal (mV)","repeat"']
    lines += [f"{x:.1f},{y:.1f},{i % 3 + 1}" for i, (x, y) in enumerate(zip(standards, signal, strict=True))]
    return ("\n".join(lines) + "\n").encode()


def stage_discharge(rng: np.random.Generator) -> bytes:
    """Rating of the outflow weir: discharge against stage, with the error of each gauging."""
    stage = np.array([0.18, 0.24, 0.29, 0.35, 0.41, 0.46, 0.52, 0.6, 0.67, 0.74, 0.8, 0.88, 0.95, 1.04])
    discharge = 0.021 + 0.132 * stage + 0.874 * stage**2
    error = 0.006 + 0.02 * discharge
    discharge = discharge + rng.normal(0, 1, len(stage)) * error
    lines = ["# Reedbed station, outflow weir", "# stage\tdischarge\t± discharge", "# m\tm³/s\tm³/s"]
    lines += [f"{a:.2f}\t{b:.4f}\t{c:.4f}" for a, b, c in zip(stage, discharge, error, strict=True)]
    return ("\n".join(lines) + "\n").encode("utf-8-sig")


def oxygen_chamber(rng: np.random.Generator) -> bytes:
    """Oxygen in a lidded chamber over a sediment core; semicolons, decimal commas, notes on top."""
    time = np.array([0, 2, 4, 6, 8, 10, 13, 16, 19, 22, 26, 30, 34, 38, 43, 48, 54, 60, 66, 73, 80, 88, 96, 105, 115])
    oxygen = 2.08 + 6.42 * np.exp(-0.0401 * time) + rng.normal(0, 0.07, len(time))
    oxygen[9] += 0.9
    warmth = 18.2 + 0.004 * time + rng.normal(0, 0.03, len(time))
    remarks = {9: "bubble on sensor", 17: "lid checked"}
    lines = [
        "Reedbed station - lidded chamber B",
        "Core 12, sediment from the inlet channel",
        "Logger 7, firmware 2.3",
        "Start 2026-06-03 09:40",
        "time;oxygen;sensor ±;temperature;note",
        "min;mg/L;mg/L;°C;",
    ]
    for i, (t, c, w) in enumerate(zip(time, oxygen, warmth, strict=True)):
        degrees = "" if i == 20 else f"{w:.1f}"
        lines.append(f"{t};{c:.2f};0.10;{degrees};{remarks.get(i, '')}".replace(".", ","))
    return ("\r\n".join(lines) + "\r\n").encode("latin-1")


def dye_pulse(rng: np.random.Generator) -> bytes:
    """Dye passing a weir after a release upstream."""
    time = np.arange(0, 305, 5)
    dye = 0.4 + 44 * np.exp(-0.5 * ((np.log(time + 1e-9) - np.log(96)) / 0.32) ** 2)
    dye = np.maximum(dye + rng.normal(0, 0.35, len(time)), 0)
    lines = ["time [s]\tdye [µg/L]"] + [f"{t}\t{c:.2f}" for t, c in zip(time, dye, strict=True)]
    return ("\n".join(lines) + "\n").encode("utf-16")


def light_response(rng: np.random.Generator) -> bytes:
    """Oxygen production of algae against light."""
    light = np.array([0, 15, 30, 50, 75, 100, 150, 200, 300, 400, 550, 700, 900, 1200])
    rate = -0.9 + 14.6 * light / (light + 138) * (1 - 0.00006 * light) + rng.normal(0, 0.28, len(light))
    lines = ["light (µmol/m²/s),oxygen production (mg/L/h)"]
    lines += [f"{a},{b:.2f}" for a, b in zip(light, rate, strict=True)]
    return ("\n".join(lines) + "\n").encode()


def pond_temperature(rng: np.random.Generator) -> bytes:
    """Pond temperature over two days, every half hour, with two gaps and blanks where the logger failed."""
    hours = np.arange(0, 48.5, 0.5)
    warmth = 17.6 + 3.9 * np.sin(2 * np.pi * (hours - 9.2) / 24) + 0.02 * hours + rng.normal(0, 0.12, len(hours))
    lines = ["Pond logger 2;;", "hour (h);water (°C);battery (V)"]
    for i, (t, w) in enumerate(zip(hours, warmth, strict=True)):
        if 25 <= i < 31 or 70 <= i < 74:
            continue
        value = "n/a" if i in (52, 53) else f"{w:.2f}".replace(".", ",")
        lines.append(f"{t:.1f};".replace(".", ",") + f"{value};" + f"{3.61 - 0.0009 * i:.2f};".replace(".", ","))
    return ("\n".join(lines) + "\n").encode()


def nitrate_sites(rng: np.random.Generator) -> bytes:
    """Nitrate at scattered sites of the reed bed."""
    east, north = rng.uniform(0, 60, 116), rng.uniform(0, 40, 116)
    nitrate = 2.3 + 0.02 * east
    nitrate = nitrate + 4.8 * np.exp(-((east - 17) ** 2 + (north - 25) ** 2) / 90)
    nitrate = nitrate + 3.1 * np.exp(-((east - 46) ** 2 + (north - 26) ** 2) / 55)
    nitrate = nitrate - 1.9 * np.exp(-((east - 32) ** 2 + (north - 9) ** 2) / 80) + rng.normal(0, 0.12, 116)
    lines = ["# sites of the reed bed, survey of week 23", "   east (m)  north (m)  nitrate (mg/L)"]
    lines += [f"{a:9.1f} {b:9.1f} {c:9.2f}" for a, b, c in zip(east, north, nitrate, strict=True)]
    return ("\n".join(lines) + "\n").encode()


def pigments(rng: np.random.Generator) -> bytes:
    """Absorbance of an extract of algae from pond 4: four bands, one of them a shoulder, over a slight slope."""
    wave = np.arange(380.0, 700.5, 0.5)
    bands = ((431.0, 30.0, 0.62), (466.0, 33.0, 0.31), (617.0, 27.0, 0.075), (664.0, 22.0, 0.38))
    absorbance = sum(height * 2.0 ** (-((2 * (wave - place) / width) ** 2)) for place, width, height in bands)
    absorbance = absorbance + 0.045 - 0.00005 * (wave - 380) + rng.normal(0, 0.0022, len(wave))
    lines = ["Reedbed station - pond 4, extract in acetone", "path 10 mm", "wavelength (nm),absorbance"]
    lines += [f"{a:.1f},{b:.4f}" for a, b in zip(wave, absorbance, strict=True)]
    return ("\n".join(lines) + "\n").encode()


def tannins(rng: np.random.Generator) -> bytes:
    """A chromatogram of reed leachate: three tannins whose peaks have tails, over a drifting baseline."""
    time = np.arange(0.0, 16.01, 0.02)
    signal = 1.9 + 0.9 * np.exp(-time / 6)
    # Gaussians with an exponential tail, as sums over what leaves the column late.
    late = (np.arange(400) + 0.5) * 0.01
    for place, spread, tail, area in ((4.1, 0.10, 0.12, 9.0), (4.75, 0.11, 0.14, 5.5), (9.3, 0.19, 0.30, 14.0)):
        share = np.exp(-late / tail) / tail * 0.01
        parts = np.exp(-0.5 * ((time[:, None] - place - late) / spread) ** 2) / (spread * np.sqrt(2 * np.pi))
        signal = signal + area * (parts @ share) / share.sum()
    signal = signal + rng.normal(0, 0.08, len(time))
    lines = ["# Reedbed station, reed leachate of week 23", "# time\tsignal", "# min\tmV"]
    lines += [f"{a:.2f}\t{b:.3f}" for a, b in zip(time, signal, strict=True)]
    return ("\n".join(lines) + "\n").encode()


def nitrification(rng: np.random.Generator) -> bytes:
    """Oxygen and ammonium in a stirred chamber with reed-bed gravel; ammonium was sampled at every other reading."""
    time = np.arange(0.0, 14.25, 0.5)
    state, kept = np.array([1.62, 9.3]), []
    steps = 50

    def rates(now: np.ndarray) -> np.ndarray:
        used = 0.27 * now[0] / (0.42 + now[0])
        return np.array([-used, -4.3 * used - 0.035])

    for _ in time:
        kept.append(state)
        for _ in range(steps):
            middle = state + rates(state) * 0.25 / steps
            state = state + rates(middle) * 0.5 / steps
    ammonium, oxygen = np.array(kept).T
    ammonium, oxygen = ammonium + rng.normal(0, 0.022, len(time)), oxygen + rng.normal(0, 0.05, len(time))
    lines = ["Reedbed station - stirred chamber E, gravel of bed 2", "time (h),oxygen (mg/L),ammonium (mg/L)"]
    for place, (t, o, n) in enumerate(zip(time, oxygen, ammonium, strict=True)):
        lines.append(f"{t:.1f},{o:.2f}," + (f"{max(n, 0.0):.3f}" if place % 2 == 0 else ""))
    return ("\n".join(lines) + "\n").encode()


FILES = {
    "nitrate-probe.csv": nitrate_probe,
    "stage-discharge.tsv": stage_discharge,
    "oxygen-chamber-b.csv": oxygen_chamber,
    "dye-pulse-weir.tsv": dye_pulse,
    "light-response.csv": light_response,
    "pond-temperature.csv": pond_temperature,
    "nitrate-sites.txt": nitrate_sites,
    "pigments-pond4.csv": pigments,
    "tannins.tsv": tannins,
    "nitrification-chamber-e.csv": nitrification,
}


def main() -> None:
    """Write all files."""
    FOLDER.mkdir(exist_ok=True)
    for place, (name, make) in enumerate(FILES.items()):
        (FOLDER / name).write_bytes(make(np.random.default_rng([SEED, place])))


if __name__ == "__main__":
    main()
