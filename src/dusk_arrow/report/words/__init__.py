"""The paragraphs of a report, one function each: a material in, paragraphs out. They say what the numbers carry, and no more."""
