"""ICC profiles: read, describe, evaluate, write; transforms through LittleCMS."""
