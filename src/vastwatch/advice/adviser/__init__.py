"""What to place, buy or change: candidates judged, purchases, remedies."""
