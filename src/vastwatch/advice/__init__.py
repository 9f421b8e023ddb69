"""What to change: findings on the design, the timing tuner, remedies tried on the same days, and what to buy.

Nothing is imported here: each question asks for its own module, so that a rehearsal does not wait for the adviser.
"""
