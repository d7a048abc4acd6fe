"""Trial prints: several prints of one thing, told apart by letters, and which of them comes nearest."""
