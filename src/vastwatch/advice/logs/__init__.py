"""What the log of a real house says: another hold replayed, how people use a room."""
