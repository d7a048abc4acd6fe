"""The papers of a profile: what is said of it beyond its bytes, by whom, and whether it fits."""
