"""What was read, seen, done and timed on a call, as events, and what follows for live, off and dead."""
