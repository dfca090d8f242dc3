"""Trains the network that mends pictures in between (core/motion/mend) and writes it to models/between.onnx:
`python3 between.py ULMWOOD_SIDES MAKE_DEMO`, both programs as built. Learns on scenes.py's scenes and the demo's clips of
other seeds than the one that ships: every second frame is taken out, and the network sees what was made of its neighbours.

The loss is each crop's error as a share of what it was, or of its frame's: what is nearly right already is not worth the
price of a guess. Adam with a cosine rate; an average of the weights is kept. One thread.
"""
import json
import pathlib
import subprocess
import sys
import time

import numpy as np
import torch
from torch import nn
from torch.nn import functional as F

from export import MODELS, Writer
from networks import LEAK

DATA = pathlib.Path("training-data")
# Movement is searched for at a quarter of the size of most, at an eighth of the large ones.
SCENES = {81: (260, []), 82: (260, []), 83: (60, ["--large"])}  # how many, by seed
DEMO_SEEDS, DEMO_PARTS = (101, 102), {"": ["20", "41"], "-1080": ["20", "15", "1080"]}
CELL, FEATURES, HIDDEN, STEPS, BATCH, CROP, EDGE, RATE = 4, 32, 3, 9000, 12, 128, 16, 2e-3
QUIET, SURE = 2.5 / 219, 5  # what is quieter is not mended; core/motion/mend.cpp begins a little earlier
INPUTS, OUTPUTS = 4 * CELL ** 2 + 1, CELL ** 2


class Pairs:
    """Files of ulmwood-sides, each [n, 6, rows, columns]: mixed, differ, truth, before, after, doubt."""

    def __init__(self, files: list[pathlib.Path]):
        self.all, self.base, self.places = [], [], []
        for f in files:
            rows, columns = (int(v) for v in f.with_suffix(".size").read_text().split()[1:])
            for pair in np.memmap(f, np.int16, "r").reshape(-1, 6, rows, columns):
                error = np.mean(np.square((pair[0].astype(np.float32) - pair[2]) / 8192))
                h, w = rows // 32, columns // 32
                unlike = np.abs(pair[1][:h * 32, :w * 32]).reshape(h, 32, w, 32).mean((1, 3)) / 8192 * 219
                if (places := np.argwhere(unlike > 0.8)).size:
                    self.all.append(pair), self.base.append(max(float(error), 1e-6)), self.places.append(places * 32)

    def crop(self, rng: np.random.Generator) -> tuple[np.ndarray, float]:
        k = rng.integers(len(self.all))
        rows, columns = self.all[k].shape[1:]
        y, x = self.places[k][rng.integers(len(self.places[k]))]
        y, x = (int(np.clip(v + rng.integers(-48, 16), 0, n - CROP)) for v, n in ((y, rows), (x, columns)))
        c = self.all[k][:, y:y + CROP, x:x + CROP].astype(np.float32) / 8192
        c = np.rot90(c, rng.integers(4), (1, 2))
        c = c[..., ::-1] if rng.random() < 0.5 else c
        if rng.random() < 0.5:  # as seen backwards
            c = (c * np.array([1, -1, 1, 1, 1, 1], np.float32)[:, None, None])[[0, 1, 2, 4, 3, 5]]
        return c.copy(), self.base[k]


def made(program: str, movie: pathlib.Path, ending: str = "", part: list[str] = []) -> pathlib.Path:
    file = movie.with_name(f"{movie.stem}{ending}.sides")
    if not file.with_suffix(".size").exists():
        size = subprocess.run([program, str(movie), str(file), *part], check=True, capture_output=True, text=True).stdout
        file.with_suffix(".size").write_text(size)
    return file


class Mender(nn.Module):
    """What mend.cpp computes, of planes [n, 1, rows, columns] that are multiples of CELL: luma 0 … 1, doubt in 8-bit steps."""

    def __init__(self):
        super().__init__()
        # The first layer runs in f32 on many channels: of one pixel it costs little. The others run in 8 bits.
        self.layers = nn.ModuleList([nn.Conv2d(INPUTS, FEATURES, 1)])
        self.layers += [nn.Conv2d(FEATURES, FEATURES, 3, padding=1) for _ in range(HIDDEN)]
        self.layers.append(nn.Conv2d(FEATURES, OUTPUTS, 3, padding=1))
        for layer in self.layers:
            nn.init.kaiming_normal_(layer.weight, a=LEAK)
            nn.init.zeros_(layer.bias)
        nn.init.normal_(self.layers[-1].weight, std=0.005)

    def seen(self, mixed, differ, before, after, doubt):
        cells = lambda v: F.pixel_unshuffle(v, CELL)
        m = cells(mixed)
        return torch.cat([2 * (m - m.mean(1, keepdim=True)), 8 * cells(differ), 4 * (cells(before) - m), 4 * (cells(after) - m),
                          (F.avg_pool2d(doubt, CELL) / 64).clamp(max=8)], 1)

    def forward(self, mixed, differ, before, after, doubt):
        x = self.seen(mixed, differ, before, after, doubt)
        for layer in self.layers[:-1]:
            x = F.leaky_relu(layer(x), LEAK)
        x = self.layers[-1](x) / 8
        unquiet = F.avg_pool2d(differ.abs(), CELL) / QUIET + F.avg_pool2d(doubt, CELL) / SURE
        counts = (F.avg_pool2d(F.pad(unquiet, (1, 1, 1, 1), mode="replicate"), 3, 1) - 1).clamp(0, 1)
        return mixed + F.pixel_shuffle(counts * x, CELL)


def planes(crops: torch.Tensor):
    """mixed, differ, before, after, doubt and the truth."""
    mixed, differ, truth, before, after, doubt = (crops[:, k:k + 1] for k in range(6))
    return (mixed, differ, before, after, doubt * (8192 / 32)), truth


def fit(scenes: Pairs, demo: Pairs) -> Mender:
    torch.manual_seed(1)
    net, rng, began = Mender(), np.random.default_rng(1), time.time()
    average = {k: v.clone() for k, v in net.state_dict().items()}
    adam = torch.optim.Adam(net.parameters(), lr=RATE)
    for step in range(STEPS):
        chosen = [(scenes if rng.random() < 0.8 else demo).crop(rng) for _ in range(BATCH)]
        given, truth = planes(torch.from_numpy(np.stack([c for c, _ in chosen])))
        base = torch.tensor([b for _, b in chosen])
        for group in adam.param_groups:
            group["lr"] = RATE * (0.5 + 0.5 * np.cos(np.pi * step / STEPS)) * min(1, (step + 1) / 100) + 1e-6
        error = lambda y: ((y - truth)[..., EDGE:-EDGE, EDGE:-EDGE] ** 2).mean((1, 2, 3))
        loss = (error(net(*given)) / (error(given[0]) + 0.3 * base + 1e-5)).mean()
        adam.zero_grad(), loss.backward()
        nn.utils.clip_grad_norm_(net.parameters(), 0.5)
        adam.step()
        pace = min(0.998, step / (step + 50))
        for k, v in net.state_dict().items():
            average[k] = average[k] * pace + v * (1 - pace)
        if (step + 1) % 500 == 0:
            print(f"between {step + 1}/{STEPS}  {time.time() - began:.0f} s  loss {loss.item():.3f}", flush=True)
    net.load_state_dict(average)
    return net.eval()


def activations(net: Mender, data: Pairs) -> str:
    """The note that core/model/quantised.h reads: what the layers hold, on crops as it was trained on."""
    rng = np.random.default_rng(2)
    low, high = ([np.zeros(FEATURES)] * (HIDDEN + 1) for _ in range(2))
    with torch.no_grad():
        for _ in range(200):
            given, _ = planes(torch.from_numpy(data.crop(rng)[0])[None])
            x = net.seen(*given)
            for k, layer in enumerate(net.layers[:-1]):
                x = F.leaky_relu(layer(x), LEAK)
                flat = x[0].reshape(FEATURES, -1)
                low[k], high[k] = np.minimum(low[k], flat.amin(1).numpy()), np.maximum(high[k], flat.amax(1).numpy())
    return ";".join(" ".join(f"{a:.4g},{b:.4g}" for a, b in zip(l, h)) for l, h in zip(low, high))


def write(net: Mender, note: str) -> None:
    state, w, x = net.state_dict(), Writer(), "picture"
    for k in range(HIDDEN + 1):
        x = w.step("LeakyRelu", [w.conv(x, state, f"layers.{k}")], alpha=LEAK)
    w.conv(x, state, f"layers.{HIDDEN + 1}", out="result")
    w.save(MODELS / "between.onnx", INPUTS, {"ulmwood.activations": note})
    card = {"name": "between", "inputs": f"of cells of {CELL} × {CELL} pixels: the picture in between less the cell's mean, how its "
                                         "sides differ, both frames less the picture, the doubt (core/motion/mend.cpp)",
            "parameters": sum(p.numel() for p in net.parameters()), "licence": "GPL-3.0-or-later", "made_by": "tools/train",
            "recipe": {"features": FEATURES, "hidden_layers": HIDDEN, "scenes": list(SCENES), "demo_seeds": DEMO_SEEDS, "steps": STEPS,
                       "rate": RATE, "loss": "tools/train/between.py"},
            "data": "photographs that Debian packages ship, moved and laid over each other by tools/train/scenes.py, in part "
                    "really encoded; clips of the demo of other seeds"}
    (MODELS / "between.card.json").write_text(json.dumps(card, indent=2, ensure_ascii=False) + "\n")


if __name__ == "__main__":
    torch.set_num_threads(1)
    sides, make_demo = sys.argv[1:]
    scenes, clips = [], []
    for seed, (count, options) in SCENES.items():
        folder = DATA / f"scenes-{seed}"
        if not folder.is_dir():
            scenes_py = pathlib.Path(__file__).parent / "scenes.py"
            subprocess.run([sys.executable, scenes_py, folder, str(count), "--seed", str(seed), *options], check=True)
        scenes += [made(sides, movie) for movie in sorted(folder.glob("*.mkv"))]
    for seed in DEMO_SEEDS:
        folder = DATA / f"demo-{seed}"
        if not folder.is_dir():
            subprocess.run([make_demo, folder, "--seed", str(seed)], check=True)
        movies = [m for m in sorted((folder / "masters").glob("*.mp4")) if not m.stem.endswith("-small")]
        clips += [made(sides, m, ending, part) for m in movies for ending, part in DEMO_PARTS.items()]
    scenes, clips = Pairs(scenes), Pairs(clips)
    net = fit(scenes, clips)
    write(net, activations(net, scenes))
