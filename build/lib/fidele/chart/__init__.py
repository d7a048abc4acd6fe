"""Control charts and targets: define, draw, find on a scan, measure; measurement files."""
