"""Query history: who used what, when and how."""
