"""The bench: one file under the light: waveform, pictures, the evidence of each finding."""
