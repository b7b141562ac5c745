"""What runs of jobs say: events as they come, the state that they add up to, versions, what is usual."""
