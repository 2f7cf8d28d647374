"""What is done on a call: what the Safe list asks, what may be recorded, what has to be proven."""
