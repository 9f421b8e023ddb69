"""M10: why the light did the wrong thing: what, had it been otherwise, would have made this very incident go."""
