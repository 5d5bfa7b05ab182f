"""What code does, and what pages come to, worked out without running any of it."""
