"""The meter interface and its simulated stand-ins."""
