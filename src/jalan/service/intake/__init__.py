"""Bringing things in: sources, their runs, and what each kind of them does."""
