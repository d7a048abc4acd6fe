"""The window: thread, shelf, desks, findings, foot. The only package that knows Qt."""
