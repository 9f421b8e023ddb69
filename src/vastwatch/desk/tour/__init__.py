"""The guided tour: six steps on the sample, each an action of the visitor with a figure that comes of it."""
