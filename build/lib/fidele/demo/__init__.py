"""The demo: Tern Harbour Lights, an invented lantern festival."""
