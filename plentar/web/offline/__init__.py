"""Calls without signal: what a phone is given beforehand, and what it sends later."""
