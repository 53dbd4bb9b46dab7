"""A reader of figure archives in plain Python, with nothing of ours: a beginning for whoever writes another.

    figure = Archive("pell.zip")
    figure.bones["head"]                    # as the document has it
    figure.parts["near ear"]
    figure.picture_size(part)               # (w, h) px, read off the PNG itself
    figure.rest(part)                       # [(x, y)] of its vertices, figure space
    figure.triangles(part), figure.weights(part)
    figure.posed({"neck": 20.0})            # bones to matrices (a, b, c, d, e, f): x' = a x + c y + e, y' = b x + d y + f
    figure.skinned(part, matrices)          # the vertices of a part blended by its weights, or carried by its bone

Every picture and array is checked against the digest that it is named after. What is done on top of linear blending, at
bends, by warps and so on, is told in `figure.schema.json`; this reader leaves it out.
"""

import ast
import hashlib
import json
import math
import struct
import sys
import zipfile

KIND = "application/vnd.kunstgriff.figure+zip"
TYPES = {"f4": "f", "f8": "d", "i4": "i", "i8": "q", "u4": "I", "u2": "H", "u1": "B", "i2": "h"}
STILL = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)


class Unreadable(ValueError):
    """What is no archive, or not whole."""


class Archive:
    """A figure as it lies in its archive."""

    def __init__(self, path):
        self.zip = zipfile.ZipFile(path)
        first = self.zip.infolist()[0]
        if first.filename != "mimetype" or self.zip.read(first).decode().strip() != KIND:
            raise Unreadable("this is no figure archive")
        self.document = json.loads(self.zip.read("figure.json"))
        self.bones = {one["name"]: one for one in self.document.get("bones", ())}
        self.parts = {one["name"]: one for one in self.document.get("parts", ())}  # back to front
        self._bones = {one["id"]: one for one in self.document.get("bones", ())}

    def _content(self, folder, digest, ending):
        data = self.zip.read(f"{folder}/{digest}.{ending}")
        if hashlib.sha256(data).hexdigest() != digest:
            raise Unreadable(f"{folder}/{digest}.{ending} does not hold what it is named after")
        return data

    def picture(self, part):
        """The bytes of its PNG: straight alpha, sRGB."""
        return self._content("pictures", part["drawing"]["picture"], "png")

    def picture_size(self, part):
        """How large its picture is, by the PNG's own header (ISO/IEC 15948, IHDR)."""
        data = self.picture(part)
        if data[:8] != b"\x89PNG\r\n\x1a\n" or data[12:16] != b"IHDR":
            raise Unreadable("a picture is no PNG")
        return struct.unpack(">II", data[16:24])

    def array(self, digest):
        """The rows of an array (NumPy's .npy, versions 1 and 2), each a tuple."""
        data = self._content("arrays", digest, "npy")
        if data[:6] != b"\x93NUMPY":
            raise Unreadable("an array is no .npy file")
        wide = 2 if data[6] == 1 else 4
        (size,) = struct.unpack_from("<H" if wide == 2 else "<I", data, 8)
        begins = 8 + wide + size
        header = ast.literal_eval(data[8 + wide : begins].decode("latin1"))
        if header["fortran_order"]:
            raise Unreadable("an array is not in C order")
        kind, shape = TYPES[header["descr"].lstrip("<|=")], header["shape"]
        values = struct.unpack_from(f"<{math.prod(shape)}{kind}", data, begins)
        across = shape[1] if len(shape) > 1 else 1
        return [values[k : k + across] for k in range(0, len(values), across)]

    def _mesh(self, part):
        """The mesh of a part's binding, or its own; None where it is the rectangle of its picture."""
        return (part.get("binding") or {}).get("mesh") or part.get("mesh")

    def rest(self, part):
        """Its vertices at rest, figure space: px of its own picture, laid where the picture lies."""
        left, top = part["drawing"]["place"]
        mesh = self._mesh(part)
        if mesh is None:
            width, height = part["drawing"]["size"]
            return [(left + x, top + y) for x, y in ((0, 0), (width, 0), (width, height), (0, height))]
        return [(left + x, top + y) for x, y in self.array(mesh["vertices"])]

    def triangles(self, part):
        """Its triangles, by the numbers of vertices."""
        mesh = self._mesh(part)
        return [(0, 1, 2), (0, 2, 3)] if mesh is None else self.array(mesh["triangles"])

    def weights(self, part):
        """For each vertex {bone id: share}; nothing where it does not follow by weights."""
        binding = part.get("binding") or {}
        if binding.get("kind") != "weighted":
            return []
        return [
            {bone: share for bone, share in zip(binding["influences"], row, strict=True) if share}
            for row in self.array(binding["weights"])
        ]

    def posed(self, turns):
        """The matrix of every bone by its id, those named in `turns` turned so many degrees clockwise as seen. A bone
        turns about its joint as its parent carries it; bones lie parents first."""
        found, angles = {}, {}
        for bone in self.document.get("bones", ()):
            parent = bone.get("parent")
            angle = angles.get(parent, 0.0) + math.radians(turns.get(bone["name"], 0.0))
            x, y = bone["joint"]
            px, py = carried(found.get(parent, STILL), (x, y))
            c, s = math.cos(angle), math.sin(angle)
            found[bone["id"]] = (c, s, -s, c, px - c * x + s * y, py - s * x - c * y)
            angles[bone["id"]] = angle
        return found

    def skinned(self, part, matrices):
        """Its vertices as bones carry them: blended by weights, by the one bone it is bound to, or where they are."""
        binding, rest = part.get("binding") or {}, self.rest(part)
        if binding.get("kind") == "rigid":
            return [carried(matrices[binding["bone"]], spot) for spot in rest]
        if binding.get("kind") != "weighted":
            return rest
        found = []
        for spot, shares in zip(rest, self.weights(part), strict=True):
            seen = [(share, carried(matrices[bone], spot)) for bone, share in shares.items()]
            found.append((sum(share * x for share, (x, _) in seen), sum(share * y for share, (_, y) in seen)))
        return found


def carried(matrix, spot):
    """Where a matrix puts a place."""
    a, b, c, d, e, f = matrix
    x, y = spot
    return a * x + c * y + e, b * x + d * y + f


def main():
    figure = Archive(sys.argv[1])
    print(f"{figure.document['name']}: {len(figure.parts)} parts, {len(figure.bones)} bones")
    for name, part in figure.parts.items():
        width, height = figure.picture_size(part)
        print(
            f"{name}: {width} x {height} px, {len(figure.rest(part))} vertices, {part['binding']['kind'] if part.get('binding') else 'unbound'}"
        )


if __name__ == "__main__":
    main()
