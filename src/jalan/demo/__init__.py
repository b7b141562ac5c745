"""The demo: a made-up island ferry operator with real databases, and what it takes to start it all."""
