"""Changes: steps, findings, waivers; upgrade, restore, revert, drift."""
