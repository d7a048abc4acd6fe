"""Compiled kernels for whole images. Each releases the interpreter's lock and is cached on disk.

They are compiled by ``python -m fidele.kernels`` at set-up; numba is slow to import, so callers import them late.
Wrappers with checks and documentation stand where the subject is: `fidele.colour.difference`, `fidele.icc.fast`,
`fidele.bench.inks`.
"""
