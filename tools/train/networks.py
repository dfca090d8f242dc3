"""The shipped networks: their shape, what each is trained on, and for how long. See docs/networks.md."""
from dataclasses import dataclass
import pathlib

import numpy as np
import torch
from torch import nn

LEAK = 0.1
NEIGHBOURS = 4  # frames -1, +1, -2, +2, brought onto this one
MODELS = pathlib.Path("models")
LEVELS = 2      # planes of constant value: compression, noise


@dataclass(frozen=True)
class Recipe:
    name: str
    kind: str       # general, rough, drawn
    scale: int      # 1, 2, or 4 (fourfold.py)
    frames: int     # 1, or 5 with neighbours
    features: int
    depth: int      # hidden layers between the first and the last
    sets: tuple[str, ...]
    steps: int
    start: str = ""  # the network whose weights it starts from
    seed: int = 7
    rate: float = 1.5e-3
    levels: tuple[float, float] = (0, 1)  # of compression, that it is for: nine of ten crops are within
    crisp_steps: int = 0  # of crisp.py, whose rate is crisp_rate
    crisp_rate: float = 3e-4
    crisp_sets: tuple[str, ...] = ()  # where they are not those of its own training
    crisp_share: float = 0  # of scale 4: how far the passes that its crisp end learns from go towards the quick network's

    def sets_of(self, ending: str) -> tuple[str, ...]:
        """What it (""), or its crisp end ("-crisp"), is trained on."""
        return ending and self.crisp_sets or self.sets


def recipes() -> list[Recipe]:
    g, r, d = ("general",), ("rough", "general"), ("drawn",)
    return [
        Recipe("start", "general", 2, 5, 32, 6, g, 9000),  # the starts are not shipped: first parts of others' training
        Recipe("start-again", "general", 2, 5, 32, 6, g, 3500, "start", rate=8e-4),
        Recipe("start-third", "general", 2, 5, 32, 6, g, 6000, "start-again", rate=6e-4),
        Recipe("general-x2-full", "general", 2, 5, 32, 6, g, 12000, "start-third", rate=8e-4, levels=(0, 0.6), crisp_steps=600,
               crisp_sets=("next-general",)),
        Recipe("general-x2-quick", "general", 2, 1, 16, 3, g, 8000, crisp_steps=2000,
               crisp_sets=("second-general", "general")),
        Recipe("general-x1-full", "general", 1, 5, 32, 6, g, 2000, "start-again", rate=1e-3),
        Recipe("general-x1-quick", "general", 1, 1, 16, 3, g, 4000, "general-x2-quick", rate=1e-3),
        Recipe("start-rough", "rough", 2, 5, 32, 6, r, 1500, "start-again", rate=8e-4),
        Recipe("rough-x2-full", "rough", 2, 5, 32, 6, r, 6000, "start-rough", rate=6e-4, crisp_steps=600, crisp_sets=("next-rough",)),
        Recipe("drawn-x2-full", "drawn", 2, 5, 32, 6, d, 1500, "start-again", rate=8e-4, crisp_steps=450),
        Recipe("drawn-x2-quick", "drawn", 2, 1, 16, 3, d, 2500, "general-x2-quick", rate=8e-4, crisp_steps=450),
        Recipe("rough-x2-quick", "rough", 2, 1, 16, 3, r, 2500, "general-x2-quick", rate=8e-4, crisp_steps=2000,
               crisp_sets=("second-rough", "rough", "general")),
        Recipe("rough-x1-full", "rough", 1, 5, 32, 6, r, 1000, "general-x1-full", rate=8e-4, crisp_steps=2000),
        Recipe("drawn-x1-full", "drawn", 1, 5, 32, 6, d, 1000, "general-x1-full", rate=8e-4),
        Recipe("rough-x1-quick", "rough", 1, 1, 16, 3, r, 2000, "general-x1-quick", rate=8e-4, crisp_steps=1500),
        Recipe("drawn-x1-quick", "drawn", 1, 1, 16, 3, d, 2000, "general-x1-quick", rate=8e-4),
        Recipe("general-x4-quick", "general", 4, 1, 16, 4, g, 4000, "general-x2-quick", crisp_share=0.875),
        Recipe("rough-x4-quick", "rough", 4, 1, 16, 4, ("rough",), 4000, "rough-x2-quick", crisp_share=0.5625),
        Recipe("drawn-x4-quick", "drawn", 4, 1, 16, 4, d, 2500, "drawn-x2-quick"),
    ]


BASE = 7  # pixels a side of what the base looks at: Lanczos's reach


def lanczos_phases(scale: int = 2) -> torch.Tensor:
    """[scale², 1, BASE, BASE]: Lanczos (three lobes) enlarging as one convolution whose outputs are shuffled."""
    def line(at: float) -> np.ndarray:
        x = np.arange(BASE) - BASE // 2 - at
        w = np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0)
        return w / w.sum()
    lines = [line((k + 0.5) / scale - 0.5) for k in range(scale)]
    return torch.tensor(np.stack([np.outer(a, b) for a in lines for b in lines])[:, None], dtype=torch.float32)


class Restorer(nn.Module):
    """in: [n, frames + LEVELS, h, w], luma 0 (black) … 1 (white) then levels; out: [n, 1, scale·h, scale·w]."""

    def __init__(self, r: Recipe):
        super().__init__()
        self.scale, inputs = r.scale, r.frames + LEVELS
        self.first = nn.Conv2d(inputs, r.features, 3, padding=1)
        self.hidden = nn.ModuleList(nn.Conv2d(r.features, r.features, 3, padding=1) for _ in range(r.depth))
        self.last = nn.Conv2d(r.features, r.scale ** 2, 3, padding=1)
        for layer in (self.first, *self.hidden):
            nn.init.kaiming_normal_(layer.weight, a=LEAK)
            nn.init.zeros_(layer.bias)
        nn.init.normal_(self.last.weight, std=0.01)
        nn.init.zeros_(self.last.bias)
        if r.scale > 1:
            self.base = nn.Conv2d(1, r.scale ** 2, BASE, padding=BASE // 2, bias=False)
            self.base.weight.data = lanczos_phases(r.scale)

    def forward(self, x):
        this = x[:, :1]
        y = nn.functional.leaky_relu(self.first(x), LEAK)
        for layer in self.hidden:
            y = nn.functional.leaky_relu(layer(y), LEAK)
        y = self.last(y)
        if self.scale > 1:
            return nn.functional.pixel_shuffle(y + self.base(this), self.scale)
        return this + y

    def load_start(self, state: dict) -> None:
        """Takes another network's weights; where that one enlarges and this one does not, all but the last layer's."""
        mine = self.state_dict()
        self.load_state_dict({**mine, **{k: v for k, v in state.items() if k in mine and v.shape == mine[k].shape}})


def shipped_weights(r: Recipe, ending: str = "") -> dict:
    """A Restorer's state as models/ has it."""
    import onnx
    from onnx import numpy_helper
    graph = onnx.load(MODELS / f"{r.name}{ending}.onnx").graph
    numbers = {n.name: torch.from_numpy(numpy_helper.to_array(n).copy()) for n in graph.initializer}
    layers = ["first", *(f"hidden.{k}" for k in range(r.depth)), "last", "base"]
    state = {}
    for layer, node in zip(layers, (n for n in graph.node if n.op_type == "Conv")):
        for part, name in zip(("weight", "bias"), node.input[1:]):
            state[f"{layer}.{part}"] = numbers[name]
    return state


def shipped(r: Recipe, ending: str = "") -> Restorer:
    """The network as it ships; its base, which may be smaller than one made today, is not to be trained on."""
    state, net = shipped_weights(r, ending), Restorer(r)
    if r.scale > 1:
        side = state["base.weight"].shape[2]
        net.base = nn.Conv2d(1, r.scale ** 2, side, padding=side // 2, bias=False)
        net.base.requires_grad_(False)
    net.load_state_dict(state)
    return net


def mixed(r: Recipe, share: float) -> Restorer:
    """The network as it ships, between its faithful (0) and its crisp end (1)."""
    net = shipped(r)
    if share > 0:
        crisp = shipped_weights(r, "-crisp")
        net.load_state_dict({k: v + share * (crisp[k] - v) for k, v in net.state_dict().items()})
    return net.eval()


def of_name(name: str) -> Recipe:
    return next(r for r in recipes() if r.name == name)


class Estimator(nn.Module):
    """How hard a frame was compressed. in: [n, 1, h, w]; out: [n, 2, h/8, w/8]: level, its weight's logarithm; a frame's
    level is the weighted mean."""

    def __init__(self):
        super().__init__()
        self.body = nn.Sequential(
            nn.Conv2d(1, 16, 5, padding=2), nn.LeakyReLU(LEAK), nn.Conv2d(16, 24, 4, stride=2, padding=1), nn.LeakyReLU(LEAK),
            nn.Conv2d(24, 32, 4, stride=2, padding=1), nn.LeakyReLU(LEAK),
            nn.Conv2d(32, 48, 4, stride=2, padding=1), nn.LeakyReLU(LEAK), nn.Conv2d(48, 48, 3, padding=1),
            nn.LeakyReLU(LEAK), nn.Conv2d(48, 2, 1))
        for layer in self.body:
            if isinstance(layer, nn.Conv2d):
                nn.init.kaiming_normal_(layer.weight, a=LEAK)
                nn.init.zeros_(layer.bias)
        first = self.body[0].weight.data  # what encoders leave is fine and faint: start from amplified differences
        first -= first.mean((2, 3), keepdim=True)
        first *= 8
        self.body[-1].weight.data *= 0.1

    def forward(self, x):
        return self.body(x)


def pooled(maps: torch.Tensor) -> torch.Tensor:
    """[n, 2, h, w] to [n] levels."""
    w = maps[:, 1].clamp(-6, 6).exp()
    return (maps[:, 0] * w).sum((1, 2)) / w.sum((1, 2))


def levels_of(damage: np.ndarray) -> np.ndarray:
    """Rate factor and sigma to the networks' levels: 0 … about 1 each."""
    return np.stack([np.clip((damage[..., 0] - 12) / 28, 0, 1), damage[..., 1] / 16], -1).astype(np.float32)
