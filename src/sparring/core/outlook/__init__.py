"""What a plan will do and what it is for: predictions, questions, campaigns."""
