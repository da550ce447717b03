"""A raw reading made into one that a client would accept: what is suspicious in it, and how it is mended."""
