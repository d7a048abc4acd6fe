"""Files and lines that nobody meant: seeds, what is done to them, and what must hold whatever was done."""
