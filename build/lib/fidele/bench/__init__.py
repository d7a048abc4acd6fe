"""Simulated devices: printers with their drivers, a press, a scanner, a spectrophotometer.

They do real physics, so that mistakes have their real consequences. The product meets them as it would meet devices:
driver settings, pages, prints on the table, scans, measurements. Nothing outside this package reaches into the
physics.
"""

import os

#: Dots per inch of the bench's printers; half of it by this variable, where pieces are to take a quarter of the time.
RESOLUTION = int(os.environ.get("FIDELE_BENCH_PPI", "300"))
