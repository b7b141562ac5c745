"""Formats of files that Jalan reads and writes."""
