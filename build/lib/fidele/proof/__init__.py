"""What will print: soft proof, losses, out-of-gamut."""
