"""Corrections by hand, beside the intent: what they are, and how they change colours on their way to the printer."""
