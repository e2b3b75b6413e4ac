"""What a place file says is built there, made a scene when it is first asked for."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from ..errors import UsageError, unknown
from ..files.texts import Texts
from ..media.walls import BUILDING_MATERIALS, Matter, Wall
from .place_schema import BodyTable, BuiltTable, PlaceTable
from .scene import Body, Scene, buildings, solid
from .terrain import Terrain


@dataclass(frozen=True, eq=False)
class Built:
    """Its tables, and the walls that these name; terrain: what turns latitudes and longitudes into metres."""

    folder: Path
    terrain: Terrain
    table: BuiltTable
    bodies: dict[str, BodyTable]
    walls: dict[str, Wall]
    places: dict[str, tuple[float, float]]

    @classmethod
    def of(cls, texts: Texts, terrain: Terrain, table: PlaceTable, like: Built | None) -> Built:
        """From a place file, its faults gathered; like: the same file's, which is kept where nothing changed."""
        walls, places = {}, {}
        own = table.built
        with texts.gathering("built"):
            walls[""] = _wall(texts, table, own.material, own.thickness, "built")
        for name, body in table.body.items():
            with texts.gathering(f"body.{name}"):
                places[name] = _metres(texts, f"body.{name}.at", body.at)
                walls[name] = _wall(
                    texts, table, body.material or own.material,
                    own.thickness if body.thickness is None else body.thickness, f"body.{name}",
                )  # fmt: skip
        found = cls(texts.folder, terrain, own, dict(table.body), walls, places)
        if like is not None and like._says == found._says and "scene" in like.__dict__:
            found.__dict__["scene"] = like.scene
        return found

    @property
    def _says(self) -> tuple[object, ...]:
        """What the scene hangs on."""
        return self.table.file, self.bodies, self.walls, self.places, id(self.terrain)

    @cached_property
    def scene(self) -> Scene:
        """Raises UsageError where nothing is built, and as the files do."""
        bodies: list[Body] = []
        if self.table.file is not None:
            placed = self.terrain.place if self.terrain.frame else None
            bodies += buildings(self.folder / self.table.file, self.walls[""], placed)
        bodies += [
            solid(self.folder / body.file, self.walls[name], name=name, at=self.places[name], thin=body.thin)
            for name, body in self.bodies.items()
        ]
        if not bodies:
            raise UsageError(
                "nothing is built at this place: give footprints, [built] file = 'houses.geojson', or meshes, "
                "[body.NAME]"
            )
        return Scene(tuple(bodies))


def _metres(texts: Texts, what: str, text: str) -> tuple[float, float]:
    cells = [cell.strip() for cell in text.split(",")]
    if len(cells) != 2:
        raise UsageError(f"{what}: '{text}' is not two of them: write 'x, y'")
    x, y = (texts.quantity(cell, "length", what) for cell in cells)
    return x, y


def _wall(texts: Texts, table: PlaceTable, material: str, thickness: str | float, what: str) -> Wall:
    deep = texts.quantity(thickness, "length", f"{what}.thickness")
    if material not in table.materials:
        if material not in BUILDING_MATERIALS:
            raise UsageError(
                f"{what}.material: {unknown('material', material, [*BUILDING_MATERIALS, *table.materials])}"
            )
        return Wall.of(material, deep)
    own = table.materials[material]
    numbers = (
        texts.number(getattr(own, key), f"materials.{material}.{key}") for key in ("permittivity", "conductivity")
    )
    return Wall.of(Matter(material, *numbers), deep)
