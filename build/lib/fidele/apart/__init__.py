"""Work on files of unknown origin in a process of its own: bounded, without network, without other files, killable."""
