"""From SQL text to a typed syntax tree with exact spans. Knows no catalogue."""
