"""Sound: 24-bit samples, self-describing WAV files, levels and waveforms."""
