"""Takes and picks."""
