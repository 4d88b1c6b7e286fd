"""The tables of a report, one function each: a material in, a table out, None where there is nothing to show."""
