"""The work without a browser, and the start of the server."""
