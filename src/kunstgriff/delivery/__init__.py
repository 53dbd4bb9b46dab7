"""What leaves Kunstgriff: one writer per file format."""
