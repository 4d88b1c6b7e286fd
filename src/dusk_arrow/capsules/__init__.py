"""Capsules: one file that holds an analysis with everything that is needed to repeat it."""
