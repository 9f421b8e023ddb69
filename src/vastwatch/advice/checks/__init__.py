"""Findings: what is wrong with a design, subject by subject, and the cautions."""
