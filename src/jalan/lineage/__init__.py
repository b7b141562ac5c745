"""From a syntax tree and known tables to links with evidence."""
