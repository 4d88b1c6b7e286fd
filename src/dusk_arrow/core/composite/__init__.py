"""The family of composites: constructs as weighted sums of their indicators (partial least squares path modelling)."""
