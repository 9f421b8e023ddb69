"""What sensors notice of people and of what triggers them falsely."""
