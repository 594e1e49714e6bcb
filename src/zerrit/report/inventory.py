"""What a bundle holds, as the service answers it and commands print it as JSON."""

from __future__ import annotations

from zerrit import api
from zerrit.core.bundles.inventory import BundlePart, Inventory
from zerrit.core.bundles.manifest import Manifest


def inventory(found: Inventory) -> api.InventoryOut:
    """What a bundle holds."""
    return api.InventoryOut(
        name=found.name,
        version=found.version,
        files=found.files,
        size=found.size,
        sorts=dict(found.sorts),
        folders=[api.FolderOut(path=path, files=files, size=size) for path, files, size in found.folders],
        parts=[_part(one) for one in found.parts],
        manifest=_manifest(found.manifest) if found.manifest is not None else None,
        readme_path=found.readme[0] if found.readme is not None else "",
        readme=found.readme[1] if found.readme is not None else "",
        programs=list(found.programs),
        refused=list(found.refused),
        archives=list(found.archives),
        rest=list(found.rest),
    )


def _manifest(found: Manifest) -> api.ManifestOut:
    return api.ManifestOut.model_validate(found, from_attributes=True)


def _part(one: BundlePart) -> api.BundlePartOut:
    return api.BundlePartOut(
        root=one.root,
        kind=one.kind,
        name=one.name,
        why=one.why,
        manifest=_manifest(one.manifest),
        files=dict(one.placement.files),
        made=list(one.placement.made),
        settings=list(one.settings),
        collisions=list(one.collisions),
        installed_version=one.installed.manifest.version if one.installed is not None else None,
        installed_state=one.installed.state if one.installed is not None else None,
        left_over=list(one.left_over),
    )
