"""The one page of a call: its layout around every step, the visit it shows, and how anything is recorded on it."""
