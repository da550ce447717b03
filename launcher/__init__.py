"""What ./fendo does: install, start, stop, test. Standard library only, for it runs before anything is installed."""
