"""What all use cases share: the workspace, errors, accounts, the activity log, records of runs."""
