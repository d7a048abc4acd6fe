"""Is the print right, and if not, why: statistics, tolerances, causes."""
