"""Print devices behind one protocol, and the other devices on the table."""
