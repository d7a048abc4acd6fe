"""Speed, as a ratio to a named alternative in the same run: `./run bench`."""
