"""What the numbers pass on their way to the piece: printing conditions, layers, evidence, findings."""
