"""glTF 2.0, as GLB or with everything inside its JSON; read by trimesh, fenced in."""

from __future__ import annotations

import io
import json
from typing import Any

import numpy as np

from ..errors import BadMesh, EngraverError, Watch
from .model import MAX_TRIANGLES, Mesh, broken, mesh_of

_DRACO = "KHR_draco_mesh_compression"
# glTF is right-handed with y up and the front at +z; Engraver's top looks down z.
_UPRIGHT = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, 1.0, 0.0]])


def sniff(data: bytes, ending: str) -> bool:
    return data[:4] == b"glTF" or (data[:512].lstrip()[:1] == b"{" and ending == ".gltf")


def _json(data: bytes, name: str) -> dict[str, Any]:
    text = data
    if data[:4] == b"glTF":
        length = int.from_bytes(data[12:16], "little") if len(data) >= 20 else -1
        if length < 0 or 20 + length > len(data) or int.from_bytes(data[8:12], "little") > len(data):
            raise broken(name)
        text = data[20 : 20 + length]
    try:
        head = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise broken(name) from error
    if not isinstance(head, dict):
        raise broken(name)
    return head


def _check_head(head: dict[str, Any], name: str) -> None:
    needed = head.get("extensionsRequired", [])
    if any("meshopt" in str(e).lower() for e in needed):  # loaded regardless, every triangle would lie on one point
        raise BadMesh(
            f"{name} cannot be read", "its mesh is packed by meshopt",
            "Export it again without mesh compression, or with Draco's",
        )  # fmt: skip
    for accessor in head.get("accessors", []):
        count = accessor.get("count", 0) if isinstance(accessor, dict) else 0
        if not isinstance(count, int) or not 0 <= count <= 3 * MAX_TRIANGLES:
            raise broken(name, "it claims more points than Engraver takes in")
    for buffer in head.get("buffers", []):
        uri = str(buffer.get("uri", "")) if isinstance(buffer, dict) else ""
        if uri and not uri.startswith("data:"):
            raise BadMesh(f"{name} cannot be read", "its points are kept in another file", "Export it as GLB")


def load(data: bytes, name: str, check: Watch) -> Mesh:
    """Read a glTF 2.0 (Khronos Group, 2017), turned so that z is up; lengths are metres by its standard.

    Meshes that are packed by Draco (KHR_draco_mesh_compression) are unpacked.
    """
    head = _json(data, name)
    _check_head(head, name)
    import trimesh

    check()
    try:
        kind = "glb" if data[:4] == b"glTF" else "gltf"
        scene: Any = trimesh.load(io.BytesIO(data), file_type=kind, process=False, force="scene")
        bodies = [(str(node), *_placed(scene, str(node))) for node in scene.graph.nodes_geometry]
    except EngraverError:
        raise
    except Exception as error:  # the loader raises whatever its arrays raise; the artist gets one sentence
        raise broken(name) from error
    bodies = [(label, points, faces) for label, points, faces in bodies if len(faces)]
    if not bodies:
        raise broken(name, "it has no triangles")
    # The loader leaves zeros where it cannot unpack a part, and says so only in a log.
    packed = _DRACO in head.get("extensionsRequired", [])
    if packed and not all(np.ptp(points, axis=0).any() for _, points, _ in bodies):
        raise broken(name)
    check()
    counts = [len(points) for _, points, _ in bodies]
    shifts = np.concatenate([[0], np.cumsum(counts)[:-1]])
    part = np.concatenate([np.full(len(f), n, np.int16) for n, (_, _, f) in enumerate(bodies)])
    return mesh_of(
        np.concatenate([p for _, p, _ in bodies]),
        np.concatenate([f + s for (_, _, f), s in zip(bodies, shifts, strict=True)]),
        name, part=part, names=tuple(label for label, _, _ in bodies), unit="m", check=check,
    )  # fmt: skip


def _placed(scene: Any, node: str) -> tuple[np.ndarray[Any, Any], np.ndarray[Any, Any]]:
    """Points and triangles of a node, where the scene puts them."""
    matrix, geometry = scene.graph[node]
    body = scene.geometry[geometry]
    faces = np.asarray(getattr(body, "faces", np.empty((0, 3), np.int64)))
    turned = _UPRIGHT @ np.asarray(matrix, np.float64)[:3]
    points = np.asarray(body.vertices, np.float64) @ turned[:, :3].T + turned[:, 3]
    return points, faces
