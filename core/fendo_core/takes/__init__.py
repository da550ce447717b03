"""Takes: what is measured in them, and what is said of them."""
