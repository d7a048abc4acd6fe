"""The bench's printers behind a real print service: queues of a private server on the loopback."""
