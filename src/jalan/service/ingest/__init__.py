"""Bringing things in: sources, their ingestions, and what each kind of them does."""
