"""One print job from order to receipt: its page, the queue, the press, what was read and kept."""
