"""The stages: one folder for what stands at the left in each."""
