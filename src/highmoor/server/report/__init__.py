"""The safety report: what was computed, as a page that prints well."""
