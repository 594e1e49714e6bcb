"""
Bundles: plugins, mods, maps and packs, as a game's gamebook describes them.

What is in an archive and where it goes on the server, what is installed and on, and the steps that install, upgrade,
switch and remove one with all that belongs to it.
"""
