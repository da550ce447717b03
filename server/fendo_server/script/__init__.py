"""Lines of the script."""
