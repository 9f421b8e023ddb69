"""What every hold of one room gives, over one seed or many."""
