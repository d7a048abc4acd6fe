"""Printers of this machine through its print service (CUPS), and the colour daemon beside it."""
