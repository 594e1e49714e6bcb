"""Fetch, upload, snapshots, retention, export and import."""
