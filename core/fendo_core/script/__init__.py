"""The words: lines, their slots in time, and whether they fit."""
