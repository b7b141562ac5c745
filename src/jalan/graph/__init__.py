"""The dependency graph in arrays. Questions take and return arrays of ids; names are joined on at the edge."""
