"""Compile every kernel for the argument types in use, into the cache that others read; on two cores."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import numpy as np

from fidele.kernels import grids, state


def warm() -> None:
    """Call each that does not say what it takes; those that do are compiled as they are imported."""
    from fidele.kernels import colours, grain, patches, surfaces
    from fidele.kernels.rasters import ready_to_draw, unpack_rows
    from fidele.kernels.solids import farthest, winding_at, winding_columns
    from fidele.kernels.steps import damped_steps

    long = np.int64
    flat, axis = np.zeros((2, 3)), np.arange(3.0)
    winding_at(flat, flat, np.zeros((1, 3), long), np.empty(2, np.int32))
    winding_columns(flat, np.zeros((1, 3), long), axis, axis, axis, np.zeros((3, 3, 4), np.int32))
    unpack_rows(np.zeros(2, np.uint8), np.empty((1, 1), np.uint8), 1)
    ready_to_draw()
    farthest(np.zeros(3), flat, flat, np.zeros((1, 3), long), np.empty(2))
    damped_steps(np.ones((2, 3, 3)), flat, flat, np.ones(2), 0.0, 1.0, np.empty((2, 3)))
    grids.simplices(np.zeros((1, 5), np.float32), np.zeros(2**5 * 4, np.float32), 2, np.empty((1, 3), np.float32))
    said = (grain.grained, grids.tetrahedral3, colours.de00, patches.patch_statistics, surfaces.kernel_sums)
    assert all(kernel.signatures for kernel in said)


if __name__ == "__main__":
    before = state()
    if len(sys.argv) > 1:  # beside somebody who works
        os.nice(10)
    beside = os.fork()  # the largest of them takes as long as all others
    if beside == 0:
        from fidele.kernels import transforms

        os._exit(0 if transforms.transform.signatures else 1)
    warm()
    code = os.waitstatus_to_exitcode(os.waitpid(beside, 0)[1])
    if len(sys.argv) > 1 and code == 0:
        Path(sys.argv[1]).write_text(before)
    sys.exit(code)
