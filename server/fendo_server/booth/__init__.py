"""Capture: pieces of sound on their way to becoming a take."""
