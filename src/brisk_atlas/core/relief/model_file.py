"""The ground of a relief as a model for other programs: GLB (binary glTF 2.0), OBJ or STL."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import cast

import numpy as np
import trimesh
from PIL import Image
from trimesh.exchange.obj import export_obj
from trimesh.visual import TextureVisuals
from trimesh.visual.material import PBRMaterial, SimpleMaterial

from brisk_atlas.core.draw import View
from brisk_atlas.core.model import AtlasError, CannotWrite, Extent
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import write_whole

from .file_kinds import MODEL_SUFFIXES, MOST_SAMPLES
from .space import Space

TEXTURE_SIDE = 4096  # pixels at most
BASE_SHARE = 0.05  # of the longer side, that the base of a body for printing lies below the lowest ground
Y_UP = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]])  # east, up, south: as glTF 2.0 has axes


def write_model(
    path: Path,
    space: Space,
    extent: Extent,
    heights: Callable[[View], np.ndarray],
    drape: Callable[[View], np.ndarray],
    exaggeration: float = 1.0,
    samples: int = 250_000,
    check: Callable[[float], None] = lambda share: None,
    picture_format: str = "PNG",
) -> tuple[int, int]:
    """Write the ground within an extent, in the CRS of a space; returns how many vertices and faces it has.

    Lengths are metres from the middle of the extent. A GLB has its y axis up, as its standard asks; OBJ and STL have z
    up. GLB and OBJ carry the drape as a picture, an OBJ in files beside it. An STL is a closed body with a flat base.
    heights, drape : as `ReliefScene` takes them; samples : about how many heights there are; picture_format : of the
    drape in a GLB, PNG or JPEG
    Raises CannotWrite, AtlasError for an extent without ground.
    """
    if path.suffix.lower() not in MODEL_SUFFIXES:
        raise CannotWrite(path, tr("a model is written as .glb, .obj or .stl"), tr("Choose one of these."))
    cols, rows, step = _lattice(space, extent, min(max(samples, 4), MOST_SAMPLES))
    x, y = extent.centre
    found = heights(View(x, y, step, cols, rows, space.crs)).astype(float)
    check(0.4)
    known = np.isfinite(found)
    if not known.any():
        raise AtlasError(path, tr("there is no ground within the extent"), tr("Choose a place with heights."))
    east = (np.arange(cols) - (cols - 1) / 2) * step * space.per_unit[0]
    north = ((rows - 1) / 2 - np.arange(rows)) * step * space.per_unit[1]
    vertices = np.stack([*np.meshgrid(east, north), np.where(known, found, 0.0) * exaggeration], axis=2).reshape(-1, 3)
    faces = _faces(known)
    if not len(faces):
        raise AtlasError(path, tr("no four heights lie side by side within the extent"), tr("Choose more samples."))
    if path.suffix.lower() == ".stl":
        body = _closed(vertices, faces)
        write_whole(path, cast(bytes, body.export(file_type="stl")))
        return len(body.vertices), len(body.faces)
    picture = _texture(drape, extent, step, cols, rows, space)
    check(0.8)
    share_x, share_y = (np.arange(n) + 0.5 for n in (cols, rows))
    uv = np.stack(np.meshgrid(share_x / cols, 1.0 - share_y / rows), axis=2).reshape(-1, 2)
    used = np.unique(faces)
    number = np.full(len(vertices), -1, np.int64)
    number[used] = np.arange(len(used))
    vertices, faces, uv = vertices[used], number[faces], uv[used]
    if path.suffix.lower() == ".glb":
        picture.format = picture_format
        material = PBRMaterial(baseColorTexture=picture, metallicFactor=0.0, roughnessFactor=1.0, doubleSided=True)
        mesh = trimesh.Trimesh(vertices @ Y_UP.T, faces, visual=TextureVisuals(uv, material=material), process=False)
        write_whole(path, cast(bytes, mesh.export(file_type="glb")))
    else:
        plain = SimpleMaterial(image=picture, name=path.stem)
        mesh = trimesh.Trimesh(vertices, faces, visual=TextureVisuals(uv, material=plain), process=False)
        text, beside = export_obj(mesh, return_texture=True, mtl_name=f"{path.stem}.mtl", include_normals=False)
        for name, data in beside.items():
            write_whole(path.parent / name, data)
        write_whole(path, text.encode())
    return len(vertices), len(faces)


def _lattice(space: Space, extent: Extent, samples: int) -> tuple[int, int, float]:
    """Return columns, rows and the step of about so many samples, no closer than those of the ground."""
    step = max(space.spacing, float(np.sqrt(extent.width * extent.height / samples)))
    return max(2, round(extent.width / step)), max(2, round(extent.height / step)), step


def _faces(known: np.ndarray) -> np.ndarray:
    """Return (n, 3) vertices of two faces for each four samples that have heights, anticlockwise from above."""
    cols = known.shape[1]
    whole = known[:-1, :-1] & known[1:, :-1] & known[:-1, 1:] & known[1:, 1:]
    j, i = np.nonzero(whole)
    a = j * cols + i
    b, c, d = a + 1, a + cols, a + cols + 1
    return np.stack([np.stack([a, c, b], axis=1), np.stack([b, c, d], axis=1)], axis=1).reshape(-1, 3)


def _closed(vertices: np.ndarray, faces: np.ndarray) -> trimesh.Trimesh:
    """Return a body between the ground and a flat base below it."""
    used = np.unique(faces)
    number = np.full(len(vertices), -1, np.int64)
    number[used] = np.arange(len(used))
    top, faces = vertices[used], number[faces]
    base = top.copy()
    base[:, 2] = top[:, 2].min() - BASE_SHARE * np.ptp(top[:, :2], axis=0).max()
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    key = edges[:, 0] * len(top) + edges[:, 1]
    rim = edges[~np.isin(key, edges[:, 1] * len(top) + edges[:, 0])]  # whose other side has no face
    a, b, below = rim[:, 0], rim[:, 1], len(top)
    sides = np.concatenate([np.stack([b, a, a + below], axis=1), np.stack([b, a + below, b + below], axis=1)])
    return trimesh.Trimesh(np.concatenate([top, base]), np.concatenate([faces, faces[:, ::-1] + below, sides]),
                           process=False)  # fmt: skip


def _texture(
    drape: Callable[[View], np.ndarray], extent: Extent, step: float, cols: int, rows: int, space: Space
) -> Image.Image:
    """Return the drape over the cells of the samples as a picture without transparency."""
    finer = max(1.0, min(TEXTURE_SIDE / max(cols, rows), 8.0))
    wide, high = round(cols * finer), round(rows * finer)
    x, y = extent.centre
    shown = drape(View(x, y, step * cols / wide, wide, high, space.crs))
    paper = 255 - shown[..., 3:]
    return Image.fromarray((shown[..., :3].astype(np.uint16) + paper).clip(0, 255).astype(np.uint8))
