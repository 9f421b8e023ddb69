"""What the desk shows of the design, computed in the background: a registry, and the kinds of results in it."""
