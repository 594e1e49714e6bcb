"""The demo world, the one command that starts it all, and the tour through the main job."""
