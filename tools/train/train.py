"""Trains one network of networks.py, or all: `python3 train.py NAME|estimate|all`. Resumes where it was stopped.

The loss when enlarging is each crop's error in decibels (the logarithm of its mean square), so that soft, nearly right
pictures count as much as noisy ones and are not sharpened for nothing; at the same size it is the share of a crop's own
error that is left. A Charbonnier loss warms up. Adam with a cosine rate; an average of
the weights is kept. One thread: run several at a time on several cores.
"""
import pathlib
import sys
import time

import numpy as np
import torch

import networks
from networks import Estimator, Recipe, Restorer, levels_of, pooled
from sequences import FIELDS_NEXT

DATA = pathlib.Path("training-data")
CROP, EDGE, BATCH = 56, 4, 8  # small pixels; the loss leaves EDGE out, where the padding shows
HELD_BACK = 24               # sequences at the end of each kind that only measure
KEEP_EVERY = 500             # steps
WARM_UP = 500                # steps
FLOOR = {1: 3e-5, 2: 4e-6}   # of squared error, by scale: below it nobody sees more


class Sequences:
    def __init__(self, kinds: tuple[str, ...]):
        self.train, self.held = [], []
        for kind in kinds:
            files = sorted(DATA.glob(f"{kind}-*.npz"))
            if not files:
                sys.exit(f"{DATA}: there are no {kind} sequences. Make them with sequences.py (see docs/networks.md).")
            items = []
            for f in files:
                z = np.load(f)
                following = zip(*(z[n] for n in FIELDS_NEXT)) if "flow" in z else [None] * len(z["seen"])
                items += list(zip(z["seen"], z["small"], z["truth"], levels_of(z["level"]), following))
            self.held += items[-HELD_BACK:]
            self.train += items[:-HELD_BACK]

    def places(self, rng: np.random.Generator, r: Recipe, count: int):
        """Of sequences that `r` is for, mostly: one of them, a place in it (small pixels), and what the network is told."""
        within = [k for k, item in enumerate(self.train) if r.levels[0] <= item[3][0] <= r.levels[1]]
        for _ in range(count):
            pick = within if rng.random() < 0.9 else range(len(self.train))
            item = self.train[pick[rng.integers(len(pick))]]
            small, best = item[1], None
            for _ in range(2):  # of two places the one with more in it: flat ones teach little
                y, x = (int(rng.integers(0, (n - CROP) // 2 + 1)) * 2 for n in small.shape)
                busy = small[y:y + CROP, x:x + CROP].std()
                if best is None or busy > best[0]:
                    best = (busy, y, x)
            yield item, best[1], best[2], np.clip(item[3] + rng.normal(0, 0.05, 2), 0, 1.2)

    def crops(self, rng: np.random.Generator, r: Recipe):
        seen, truth = [], []
        for (s, small, big, *_), y, x, level in self.places(rng, r, BATCH):
            a = s[:r.frames, y:y + CROP, x:x + CROP]
            k = r.scale
            t = (big if k == 2 else small)[None, y * k:(y + CROP) * k, x * k:(x + CROP) * k]
            turn, flip = rng.integers(4), rng.random() < 0.5
            a, t = (np.rot90(v, turn, (1, 2)) for v in (a, t))
            if flip:
                a, t = a[..., ::-1], t[..., ::-1]
            seen.append(as_seen(a, level)), truth.append((t.astype(np.float32) - 16) / 219)
        return torch.from_numpy(np.stack(seen)), torch.from_numpy(np.stack(truth))


def as_seen(seen: np.ndarray, level: np.ndarray) -> np.ndarray:
    """As a network takes it: frames of luma codes, and a plane for each level."""
    planes = np.broadcast_to(level[:, None, None], (2, *seen.shape[1:]))
    return np.concatenate([(seen.astype(np.float32) - 16) / 219, planes]).astype(np.float32)


def gains(net, r: Recipe, held) -> str:
    """Mean PSNR gain over Lanczos (or over doing nothing) on what was held back: untouched, encoded, and hard."""
    from PIL import Image
    net.eval()
    sums: dict[str, list[float]] = {}
    with torch.no_grad():
        for seen, small, big, level, _ in held:
            x = as_seen(seen[:r.frames], level)
            y = net(torch.from_numpy(x)[None])[0, 0].numpy()
            t = ((big if r.scale == 2 else small).astype(np.float32) - 16) / 219
            h, w = small.shape
            base = x[0] if r.scale == 1 else np.asarray(Image.fromarray(x[0]).resize((2 * w, 2 * h), Image.LANCZOS))
            error = lambda p: max(float(np.mean((p - t)[8:-8, 8:-8] ** 2)), 1e-6)
            name = "clean" if level[0] < 0.2 and level[1] == 0 else "light" if level[0] < 0.5 else "hard"
            sums.setdefault(name, []).append(10 * np.log10(error(base) / error(y)))
    net.train()
    return "  ".join(f"{n} {np.mean(v):+.2f} ({len(v)})" for n, v in sorted(sums.items()))


def fit(r: Recipe) -> None:
    torch.manual_seed(r.seed)
    data, net = Sequences(r.sets), Restorer(r)
    if r.start:
        net.load_start(torch.load(DATA / f"{r.start}.pt")["average"])
    if r.features < 32:  # faster so, with few features
        net = net.to(memory_format=torch.channels_last)
    average = {k: v.clone() for k, v in net.state_dict().items()}
    adam = torch.optim.Adam(net.parameters(), lr=r.rate)
    path, first = DATA / f"{r.name}.pt", 0
    if path.exists():
        kept = torch.load(path)
        net.load_state_dict(kept["net"]), adam.load_state_dict(kept["adam"])
        average, first = kept["average"], kept["step"]
    began = time.time()
    for step in range(first, r.steps):
        rng = np.random.default_rng((r.seed, step))
        for group in adam.param_groups:
            group["lr"] = r.rate * (0.5 + 0.5 * np.cos(np.pi * step / r.steps)) * min(1, (step + 1) / 100) + 1e-6
        x, t = data.crops(rng, r)
        inner = (..., slice(EDGE * r.scale, -EDGE * r.scale), slice(EDGE * r.scale, -EDGE * r.scale))
        d = (net(x) - t)[inner]
        warming = not r.start and step < WARM_UP
        error = lambda e: (e * e).mean((1, 2, 3))
        if warming:
            loss = torch.sqrt(d * d + 1e-6).mean()
        elif r.scale == 2:
            loss = torch.log(error(d) + FLOOR[2]).mean()
        else:
            loss = (error(d) / (error((x[:, :1] - t)[inner]) + FLOOR[1])).mean()
        adam.zero_grad(), loss.backward()
        torch.nn.utils.clip_grad_norm_(net.parameters(), 0.5)
        adam.step()
        pace = min(0.998, step / (step + 50))
        for k, v in net.state_dict().items():
            average[k] = average[k] * pace + v * (1 - pace)
        if (step + 1) % KEEP_EVERY == 0 or step + 1 == r.steps:
            torch.save({"net": net.state_dict(), "adam": adam.state_dict(), "average": average, "step": step + 1}, path)
            judge = Restorer(r)
            judge.load_state_dict(average)
            rate = (step + 1 - first) * BATCH / (time.time() - began)
            print(f"{r.name} {step + 1}/{r.steps}  {rate:.0f} crops/s  {gains(judge, r, data.held)}", flush=True)


def fit_estimator(steps: int = 15000, side: int = 128, batch: int = 12) -> None:
    torch.manual_seed(3)
    seen, level = [], []
    for f in sorted(f for kind in ("encodes", "general", "rough") for f in DATA.glob(f"{kind}-*.npz")):
        z = np.load(f)
        encodes = f.name.startswith("encodes")
        seen.append(z["seen"] if encodes else z["seen"][:, 0])
        level.append(levels_of(np.stack([z["crf"]] * 2, -1) if encodes else z["level"])[:, 0])
    if not seen:
        sys.exit(f"{DATA}: there are no encodes. Make them with encodes.py (see docs/networks.md).")
    seen, level = np.concatenate(seen), np.concatenate(level)
    held = np.arange(len(seen)) % 16 == 15
    train, net = np.flatnonzero(~held), Estimator()
    path, first = DATA / "estimate.pt", 0
    adam = torch.optim.Adam(net.parameters(), lr=1e-3)
    if path.exists():
        kept = torch.load(path)
        net.load_state_dict(kept["net"]), adam.load_state_dict(kept["adam"])
        first = kept["step"]
    for step in range(first, steps):
        rng = np.random.default_rng((3, step))
        for group in adam.param_groups:
            group["lr"] = 1e-3 * (0.5 + 0.5 * np.cos(np.pi * step / steps)) + 1e-6
        xs, levels = [], []
        for k in rng.choice(train, batch):
            y, x = (int(rng.integers(0, n - side + 1)) for n in seen.shape[1:])
            crop = (seen[k, y:y + side, x:x + side].astype(np.float32) - 16) / 219
            crop = np.rot90(crop, rng.integers(4))[:, ::rng.choice((-1, 1))]
            xs.append(crop * rng.uniform(0.9, 1.05)), levels.append(level[k])
        loss = (pooled(net(torch.from_numpy(np.stack(xs).astype(np.float32))[:, None])) - torch.tensor(np.array(levels))).abs().mean()
        adam.zero_grad(), loss.backward(), adam.step()
        if (step + 1) % KEEP_EVERY == 0:
            torch.save({"net": net.state_dict(), "adam": adam.state_dict(), "average": net.state_dict(), "step": step + 1}, path)
            with torch.no_grad():
                told = np.array([float(pooled(net(torch.from_numpy((s.astype(np.float32) - 16) / 219)[None, None]))[0])
                                 for s in seen[held]])
            error, fine = told - level[held], level[held] < 0.2
            print(f"estimate {step + 1}/{steps}  mean error of the level {np.abs(error).mean():.3f}; of fine ones "
                  f"{np.abs(error[fine]).mean():.3f}, a tenth above {np.quantile(error[fine], 0.9):.2f}", flush=True)


if __name__ == "__main__":
    torch.set_num_threads(1)
    wanted = sys.argv[1:] or ["all"]
    for r in networks.recipes():
        if r.scale < 4 and (r.name in wanted or "all" in wanted):
            fit(r)
    if "estimate" in wanted or "all" in wanted:
        fit_estimator()
