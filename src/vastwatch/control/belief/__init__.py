"""How probable it is that somebody is there, and what an expression evaluates to."""
