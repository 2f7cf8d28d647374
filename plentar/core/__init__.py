"""The job itself: pure functions and frozen values, with no interface, storage, file or clock."""
