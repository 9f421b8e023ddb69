"""The ribbon: a day from noon to noon under the plan."""
