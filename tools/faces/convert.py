"""Brings the face network of the npm package @mediapipe/face_detection to ONNX: `python3 convert.py IN.tflite OUT.onnx`.
Input: R'G'B' in [-1, 1], 1×3×192×192. Outputs: what each of 48×48 cells says of a face's box and features (16 numbers,
pixels of the input, places from the cell's middle), and its score before the logistic function. See docs/framing.md."""

import sys

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper
from tflite import Model

ADD, CONCAT, CONV, DEPTHWISE, DEQUANTIZE, POOL, RELU, RESHAPE, RESIZE, PAD = 0, 2, 3, 4, 6, 17, 19, 22, 23, 34
CHANNELS_FIRST = [0, 3, 1, 2]


def same_padding(size: int, kernel: int, stride: int) -> tuple[int, int]:
    whole = max(0, (-(-size // stride) - 1) * stride + kernel - size)
    return whole // 2, whole - whole // 2


class Converter:
    def __init__(self, model: Model):
        self.model, self.nodes, self.constants, self.known = model, [], [], {}
        for code, inputs, outputs, options in model.operators:
            self.add(code, inputs, outputs, options)

    def value(self, tensor: int):
        return self.known.get(tensor, self.model.constant(tensor))

    def keep(self, values) -> str:
        name = f"c{len(self.constants)}"
        self.constants.append(numpy_helper.from_array(np.ascontiguousarray(values), name))
        return name

    def node(self, kind, inputs, output, relu=0, **attributes):
        """relu: the operator's fused activation, 0 or 1; others do not occur."""
        if relu not in (0, 1):
            raise SystemExit(f"a {kind} has an activation that is not converted: {relu}")
        self.nodes.append(helper.make_node(kind, inputs, [output + "_" if relu else output], **attributes))
        if relu:
            self.nodes.append(helper.make_node("Relu", [output + "_"], [output]))

    def add(self, code, inputs, outputs, options):
        first, out = f"t{inputs[0]}", f"t{outputs[0]}"
        if code == DEQUANTIZE:
            self.known[outputs[0]] = self.model.constant(inputs[0]).astype("<f4")
        elif code in (CONV, DEPTHWISE):
            weights = self.value(inputs[1]).transpose([0, 3, 1, 2] if code == CONV else [3, 0, 1, 2])
            _, height, width, _ = self.model.shape(inputs[0])
            stride = [options.number(2, "i"), options.number(1, "i")]
            pads = [(0, 0), (0, 0)]
            if options.number(0, "b") == 0:
                pads = [same_padding(n, k, s) for n, k, s in zip((height, width), weights.shape[2:], stride)]
            self.node("Conv", [first, self.keep(weights), self.keep(self.value(inputs[2]))], out,
                      options.number(3 if code == CONV else 4, "b"), strides=stride,
                      group=1 if code == CONV else int(weights.shape[0]), kernel_shape=list(map(int, weights.shape[2:])),
                      pads=[pads[0][0], pads[1][0], pads[0][1], pads[1][1]])
        elif code == RELU:
            self.node("Relu", [first], out)
        elif code == ADD:
            self.node("Add", [first, f"t{inputs[1]}"], out, options.number(0, "b") if options else 0)
        elif code == PAD:
            amounts = self.value(inputs[1])[CHANNELS_FIRST]
            self.node("Pad", [first, self.keep(amounts.T.reshape(-1).astype(np.int64))], out)
        elif code == POOL:
            self.node("MaxPool", [first], out, kernel_shape=[options.number(4, "i"), options.number(3, "i")],
                      strides=[options.number(2, "i"), options.number(1, "i")])
        elif code == RESIZE:
            _, height, width, _ = self.model.shape(inputs[0])
            rows, columns = self.value(inputs[1])
            self.node("Resize", [first, "", self.keep(np.array([1, 1, rows / height, columns / width], np.float32))], out,
                      mode="linear",
                      coordinate_transformation_mode="half_pixel" if options.number(3, "b") else "asymmetric")
        elif code == CONCAT:
            self.node("Concat", [f"t{t}" for t in inputs], out, axis=1)
        elif code == RESHAPE:
            self.node("Transpose", [first], out + "_last", perm=[0, 2, 3, 1])
            self.node("Reshape", [out + "_last", self.keep(np.array(self.model.shape(outputs[0]), np.int64))], out)
        else:
            raise SystemExit(f"an operator is not converted: {code}")

    def write(self, path):
        size = self.model.shape(self.model.inputs[0])[1]
        picture = helper.make_tensor_value_info(f"t{self.model.inputs[0]}", TensorProto.FLOAT, [1, 3, size, size])
        results = [helper.make_tensor_value_info(f"t{t}", TensorProto.FLOAT, self.model.shape(t)) for t in self.model.outputs]
        graph = helper.make_graph(self.nodes, "faces", [picture], results, self.constants)
        model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 13)])
        model.ir_version = 7
        onnx.checker.check_model(model)
        onnx.save(model, path)


if __name__ == "__main__":
    Converter(Model(sys.argv[1])).write(sys.argv[2])
