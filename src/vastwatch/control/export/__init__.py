"""What leaves the program for controllers and installers."""
