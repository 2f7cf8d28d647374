"""What a visit looks like: a call as one person sees it, and the geometry of the drawings. No Flask, no database."""
