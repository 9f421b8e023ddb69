"""What a placed sensor notices: gaps, ways in, walks, stays, other rooms, messages, zones."""
