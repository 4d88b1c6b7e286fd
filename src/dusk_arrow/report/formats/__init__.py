"""Documents that hold a report, one file a format."""
