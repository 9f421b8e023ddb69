"""The Plan stage: building, furnishing, levels, drawings brought in."""
