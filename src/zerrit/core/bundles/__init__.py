"""
Bundles: plugins, mods, maps and packs, as a game's gamebook describes them.

What is in an archive and where it goes on the server, what is installed and on, and the steps that install, upgrade,
switch and remove one with all that belongs to it.
"""

from zerrit.core.bundles.installed import InstalledBundle, installed_bundles
from zerrit.core.bundles.installing import BundleInstall, Sources, plan_install
from zerrit.core.bundles.inventory import BundlePart, Inventory, look_into, opened_inside
from zerrit.core.bundles.manifest import Manifest, name_and_version, newer
from zerrit.core.bundles.paths import moved
from zerrit.core.bundles.placement import Placement, in_folder, kind_called, placed
from zerrit.core.bundles.switching import needed_by, steps_to_remove, steps_to_switch

__all__ = [
    "BundleInstall",
    "BundlePart",
    "InstalledBundle",
    "Inventory",
    "Manifest",
    "Placement",
    "Sources",
    "in_folder",
    "installed_bundles",
    "kind_called",
    "look_into",
    "moved",
    "name_and_version",
    "needed_by",
    "newer",
    "opened_inside",
    "placed",
    "plan_install",
    "steps_to_remove",
    "steps_to_switch",
]
