"""What a change does to everything downstream of it."""
