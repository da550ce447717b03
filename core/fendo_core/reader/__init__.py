"""The simulated reader: a made voice that reads lines as a person in a booth would, faults included."""
