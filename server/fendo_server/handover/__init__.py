"""What leaves Fendo: voice files and films."""
