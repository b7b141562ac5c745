"""Identity: what a system, a container and a dataset are called, whoever spells it."""
