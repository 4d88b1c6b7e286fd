"""Structural equation models from a questionnaire to a path diagram."""

__version__ = "0.15.0"
