"""The kinds of sources: what each brings in, and a preview of it."""
