"""Writes trained networks to models/: NAME.onnx (opset 13) and NAME.card.json. `python3 export.py [NAME…]`."""
import json
import pathlib
import sys

import numpy as np
import onnx
import torch
from onnx import TensorProto, helper, numpy_helper

import networks
from networks import LEAK, LEVELS, Recipe
from fourfold import RATE
from train import DATA

MODELS = pathlib.Path("models")


class Writer:
    def __init__(self):
        self.nodes, self.numbers, self.count = [], [], 0

    def constant(self, array: np.ndarray) -> str:
        name = f"w{len(self.numbers)}"
        self.numbers.append(numpy_helper.from_array(array, name))
        return name

    def step(self, kind: str, inputs: list[str], out: str = "", **attributes) -> str:
        self.count += 1
        out = out or f"v{self.count}"
        self.nodes.append(helper.make_node(kind, inputs, [out], name=f"{kind.lower()}{self.count}", **attributes))
        return out

    def conv(self, x: str, state: dict, layer: str, stride: int = 1, out: str = "") -> str:
        w = state[layer + ".weight"].numpy().astype(np.float32)
        pad = (w.shape[2] - 1) // 2 if stride == 1 else 1
        inputs = [x, self.constant(w)]
        if layer + ".bias" in state:
            inputs.append(self.constant(state[layer + ".bias"].numpy().astype(np.float32)))
        return self.step("Conv", inputs, out, kernel_shape=w.shape[2:], strides=[stride] * 2, pads=[pad] * 4)

    def save(self, path: pathlib.Path, channels: int, notes: dict[str, str]) -> None:
        picture = lambda name, c: helper.make_tensor_value_info(name, TensorProto.FLOAT, [1, c, None, None])
        graph = helper.make_graph(self.nodes, path.stem, [picture("picture", channels)], [picture("result", None)], self.numbers)
        model = helper.make_model(graph, producer_name="ulmwood", opset_imports=[helper.make_opsetid("", 13)])
        model.ir_version = 7
        helper.set_model_props(model, notes)
        onnx.checker.check_model(model)
        path.write_bytes(model.SerializeToString())


def write(r: Recipe, ending: str = "") -> None:
    name = r.name + ending
    kept = torch.load(DATA / f"{name}.pt")
    state, w = dict(kept["average"]), Writer()
    y = w.step("LeakyRelu", [w.conv("picture", state, "first")], alpha=LEAK)
    for k in range(r.depth):
        y = w.step("LeakyRelu", [w.conv(y, state, f"hidden.{k}")], alpha=LEAK)
    y = w.conv(y, state, "last")
    one = lambda *v: w.constant(np.array(v, np.int64))
    this = w.step("Slice", ["picture", one(0), one(1), one(1)])
    if r.scale > 1:
        y = w.step("Add", [y, w.conv(this, state, "base")])
        w.step("DepthToSpace", [y], "result", blocksize=r.scale)
    else:
        w.step("Add", [y, this], "result")
    notes = {"ulmwood.frames": str(r.frames), "ulmwood.levels": str(LEVELS)}
    w.save(MODELS / f"{name}.onnx", r.frames + LEVELS, notes)
    size = sum(p.numel() for p in state.values())
    recipe = {"features": r.features, "hidden_layers": r.depth, "sequences": r.sets_of(ending), "steps": kept["step"],
              "starts_from": r.start, "seed": r.seed, "rate": r.rate}
    if r.scale == 4:
        recipe |= {"loss": "tools/train/fourfold.py", "rate": RATE}
    elif ending:
        recipe |= {"loss": "tools/train/crisp.py", "starts_from": r.name, "rate": r.crisp_rate}
    card = {"name": name, "kind": r.kind, "scale": r.scale, "size": r.name.rsplit("-", 1)[1], "frames": r.frames,
            "inputs": f"luma of this frame{' and its neighbours brought onto it' * (r.frames > 1)}, compression level, noise level",
            "parameters": size, "licence": "GPL-3.0-or-later", "made_by": "tools/train",
            "recipe": recipe,
            "data": "photographs and drawings that Debian packages ship, and drawings made by tools/train/pictures.py; "
                    "damaged by real encodes (tools/train/sequences.py)"}
    (MODELS / f"{name}.card.json").write_text(json.dumps(card, indent=2) + "\n")


def write_estimator() -> None:
    state, w, x = torch.load(DATA / "estimate.pt")["average"], Writer(), "picture"
    layers = sorted({int(k.split(".")[1]) for k in state})
    for n in layers:
        stride = 2 if state[f"body.{n}.weight"].shape[2] == 4 else 1
        last = n == layers[-1]
        x = w.conv(x, state, f"body.{n}", stride, "result" if last else "")
        if not last:
            x = w.step("LeakyRelu", [x], alpha=LEAK)
    w.save(MODELS / "estimate.onnx", 1, {})


if __name__ == "__main__":
    MODELS.mkdir(exist_ok=True)
    names = sys.argv[1:]
    for r in networks.recipes():
        for ending in ("", "-crisp"):
            name = r.name + ending
            if not r.name.startswith("start") and (DATA / f"{name}.pt").exists() and (not names or name in names):
                write(r, ending)
                print(name)
    if (DATA / "estimate.pt").exists() and (not names or "estimate" in names):
        write_estimator()
        print("estimate")
