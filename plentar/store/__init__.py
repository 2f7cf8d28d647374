"""What is kept, and how it is found again: every row belongs to a shop and every query is scoped to it."""
