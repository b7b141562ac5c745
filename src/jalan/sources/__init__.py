"""Readers of live systems and files. They return plain data and write nothing."""
