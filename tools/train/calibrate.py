"""Writes into each shipped network what its layers hold on pictures it was trained on: `python3 calibrate.py [NAME…]`. Each
channel's least and greatest value after each rectifier becomes the note "ulmwood.activations", from which the program
chooses the scales of 8-bit convolutions (core/model/quantised.h).
"""
import sys

import numpy as np
import onnx
import torch
from onnx import helper
from torch.nn import functional as F

import networks
from fourfold import Passes
from networks import LEAK, MODELS
from train import DATA, as_seen, levels_of

SEQUENCES = 30  # of each set that it was trained on


def pictures(r: networks.Recipe, ending: str):
    passes = Passes(r) if r.scale == 4 else None
    frames = passes.full.frames if passes else r.frames
    for kind in r.sets_of(ending):
        z = np.load(sorted(DATA.glob(f"{kind}-*.npz"))[0])
        seen, levels = z["seen"], levels_of(z["level"])
        for k in range(0, len(seen), max(1, len(seen) // SEQUENCES)):
            x = torch.from_numpy(as_seen(seen[k, :frames], levels[k]))[None]
            yield passes.first(x, 1.0 if ending else 0.0) if passes else x


def activations(r: networks.Recipe, ending: str) -> str:
    net = networks.shipped(r, ending)
    convs = [net.first, *net.hidden]
    low, high = ([np.zeros(c.out_channels) for c in convs] for _ in range(2))
    with torch.no_grad():
        for x in pictures(r, ending):
            for k, conv in enumerate(convs):
                x = F.leaky_relu(F.conv2d(x, conv.weight, conv.bias, padding=1), LEAK)
                flat = x.permute(1, 0, 2, 3).reshape(x.shape[1], -1)
                low[k] = np.minimum(low[k], flat.amin(1).numpy())
                high[k] = np.maximum(high[k], flat.amax(1).numpy())
    return ";".join(" ".join(f"{a:.4g},{b:.4g}" for a, b in zip(l, h)) for l, h in zip(low, high))


if __name__ == "__main__":
    torch.set_num_threads(1)
    names = sys.argv[1:]
    for r in networks.recipes():
        for ending in ("", "-crisp"):
            path = MODELS / f"{r.name}{ending}.onnx"
            if not path.exists() or (names and r.name + ending not in names):
                continue
            model = onnx.load(path)
            notes = {p.key: p.value for p in model.metadata_props} | {"ulmwood.activations": activations(r, ending)}
            del model.metadata_props[:]
            helper.set_model_props(model, notes)
            path.write_bytes(model.SerializeToString())
            print(path.name, flush=True)
