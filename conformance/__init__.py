"""The public conformance suites, run against the readers."""
