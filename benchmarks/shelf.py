"""A machine with many profiles, as years of suppliers leave it behind: made up, small, each one sound."""

from __future__ import annotations

import datetime
from pathlib import Path

import numpy as np

from fidele.icc.write import LabGrid, Lut16, OutputTables, lab_lut, matrix_profile, output_profile

_PRINTERS = ("Velm Wren", "Velm Dunnock", "Skarn Longship", "Orrin Gannet", "Tove Lark", "Halden Plover")
_MEDIA = ("Fen 100", "Fen 140", "Tarn light 60", "Tarn heavy 120", "Moor cotton", "Glint 200", "Beck board", "Sedge 90")
_PIECES = ("ceramic tile", "coated slate", "polyester cloth", "mug", "aluminium sheet", "glossy wood")


def generated(folder: Path, count: int, seed: int = 1) -> list[Path]:
    """Write `count` profiles into a folder, nine in ten of them for printing, and return their paths."""
    rng = np.random.default_rng(seed)
    axis = np.linspace(0, 1, 5)
    red, green, blue = np.meshgrid(axis, axis, axis, indexing="ij")
    grid = LabGrid(size=5)
    nodes = grid.nodes()
    short = np.stack([np.interp(np.linspace(0, 1, 256), np.linspace(0, 1, len(c)), c) for c in grid.curves()])
    everywhere = Lut16(short, np.zeros((5, 5, 5, 1)), np.array([[0.0, 1.0]])).encode()
    paths = []
    for number in range(count):
        day = datetime.datetime(2015, 1, 1, 9) + datetime.timedelta(days=int(rng.integers(0, 4000)))
        if number % 10 == 9:
            name = f"Screen {number:04d}, calibrated {day:%Y-%m}"
            primaries = np.array([[0.64, 0.33], [0.30, 0.60], [0.15, 0.06]]) + rng.normal(0, 0.01, (3, 2))
            curve = b"para\0\0\0\0\0\0\0\0" + round(65536 * (2.2 + rng.normal(0, 0.03))).to_bytes(4, "big")
            data = matrix_profile(name, primaries, (0.3127, 0.3290), curve, day)
        else:
            parts = (str(rng.choice(_PRINTERS)), str(rng.choice(_MEDIA)), str(rng.choice(_PIECES)))
            name = f"{', '.join(parts)} {number:04d}"
            depth, chroma = 12 + 10 * rng.random(), 45 + 20 * rng.random()
            lightness = depth + (100 - depth) * (0.25 * red + 0.6 * green + 0.15 * blue)
            Lab = np.stack([lightness, chroma * (red - green), chroma * ((red + green) / 2 - blue)], axis=-1)
            share = np.clip((nodes[..., 0] - depth) / (100 - depth), 0, 1)
            device = np.stack(
                [share + nodes[..., 1] / 150, share - nodes[..., 1] / 150, share - nodes[..., 2] / 110], axis=-1
            )
            a2b, b2a = lab_lut(Lab), Lut16(short, np.clip(device, 0, 1), np.tile(np.linspace(0, 1, 2), (3, 1)))
            white = np.array([0.9642, 1.0, 0.8249]) * (0.8 + 0.1 * rng.random())
            tables = OutputTables(
                name,
                white,
                white * 0.02,
                dict.fromkeys(range(3), a2b),
                dict.fromkeys(range(3), b2a),
                parts[1].split()[0],
            )
            tables.extra["gamt"] = everywhere
            data = output_profile(tables, day)
        paths.append(folder / f"{name.replace(' ', '_')}.icc")
        paths[-1].write_bytes(data)
    return paths
