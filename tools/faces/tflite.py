"""Reads what is needed of TensorFlow Lite files, without a library: tables of a FlatBuffer by the numbers of their fields
(schema.fbs of TensorFlow, version 3)."""

import struct

import numpy as np

TYPES = {0: "<f4", 1: "<f2", 2: "<i4"}


class Table:
    """A table at a place of the file. Fields that are not there read as the default, or as nothing."""

    def __init__(self, data: bytes, at: int):
        self.data, self.at = data, at
        self.fields = at - struct.unpack_from("<i", data, at)[0]
        self.count = (struct.unpack_from("<H", data, self.fields)[0] - 4) // 2

    def place(self, field: int) -> int:
        offset = struct.unpack_from("<H", self.data, self.fields + 4 + 2 * field)[0] if field < self.count else 0
        return self.at + offset if offset else 0

    def follow(self, at: int) -> int:
        return at + struct.unpack_from("<I", self.data, at)[0]

    def number(self, field: int, kind: str, default=0):
        at = self.place(field)
        return struct.unpack_from("<" + kind, self.data, at)[0] if at else default

    def table(self, field: int):
        at = self.place(field)
        return Table(self.data, self.follow(at)) if at else None

    def vector(self, field: int) -> tuple[int, int]:
        at = self.place(field)
        if not at:
            return 0, 0
        start = self.follow(at)
        return struct.unpack_from("<I", self.data, start)[0], start + 4

    def tables(self, field: int) -> list:
        count, start = self.vector(field)
        return [Table(self.data, self.follow(start + 4 * k)) for k in range(count)]

    def array(self, field: int, kind: str) -> np.ndarray:
        count, start = self.vector(field)
        return np.frombuffer(self.data, kind, count, start) if count else np.zeros(0, kind)


class Model:
    """The first graph of a file: operators as (code, inputs, outputs, options), shapes and constants of its tensors."""

    def __init__(self, path):
        data = open(path, "rb").read()
        if data[4:8] != b"TFL3":
            raise SystemExit(f"{path} is no TensorFlow Lite file")
        root = Table(data, struct.unpack_from("<I", data, 0)[0])
        codes = [max(c.number(0, "b"), c.number(3, "i")) for c in root.tables(1)]
        graph = root.tables(2)[0]
        self.buffers = root.tables(4)
        self.tensors = graph.tables(0)
        self.inputs, self.outputs = graph.array(1, "<i4").tolist(), graph.array(2, "<i4").tolist()
        self.operators = [
            (codes[o.number(0, "I")], o.array(1, "<i4").tolist(), o.array(2, "<i4").tolist(), o.table(4))
            for o in graph.tables(3)
        ]

    def shape(self, tensor: int) -> list[int]:
        return self.tensors[tensor].array(0, "<i4").tolist()

    def constant(self, tensor: int):
        t = self.tensors[tensor]
        bytes_ = self.buffers[t.number(2, "I")].array(0, "u1")
        return bytes_.view(TYPES[t.number(1, "b")]).reshape(self.shape(tensor)) if len(bytes_) else None
