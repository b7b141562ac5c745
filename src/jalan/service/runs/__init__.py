"""Runs of jobs: events received and taken into runs, and what people ask of them."""
