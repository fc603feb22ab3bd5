"""What stands on the bench, and what its columns mean."""
