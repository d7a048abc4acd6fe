"""The commands of the command line, a module per subject; `fidele.cli` joins them."""
