"""For reading: files, addresses, comparisons, figures, rules, review."""
