"""Files in and out: design files, and results in open formats."""
