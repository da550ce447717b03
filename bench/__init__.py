"""Benchmarks: figures and ratios, never part of a test."""
