"""Open files in and out, and the drawings the pages show."""
