"""The report of an analysis: figures, tables and words, and the documents that hold them."""
