"""Structural equation models from a questionnaire to a path diagram."""

__version__ = "0.14.1"
