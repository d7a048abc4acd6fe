"""Pictures: open, identify, convert and save them. Nothing here changes the operator's file."""
