"""What can break and how large, how likely each is by what was read, which test next."""
