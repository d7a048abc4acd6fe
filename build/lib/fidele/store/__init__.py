"""What stays: profiles on the shelf, cards, the logbook."""
