"""How long reading and editing take, each beside a general-purpose yardstick in the same run."""
