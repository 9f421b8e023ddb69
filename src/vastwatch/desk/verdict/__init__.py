"""The verdict beside the plan: a room's figures, its story, and the inspector of what is selected."""
