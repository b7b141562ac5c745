"""The HTTP face: thin routers over the use-cases."""
