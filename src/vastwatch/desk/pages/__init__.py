"""Something to show a client: the plan to scale, and what was asked, set, found and is to be bought, on pages."""
