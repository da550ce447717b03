"""Films: brought in, made playable, served."""
