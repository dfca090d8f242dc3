"""Trains the crisp networks: `python3 crisp.py NAME…|all`. Each starts from the faithful network that ships (models/NAME.onnx)
and keeps its shape, so that the two can be mixed weight by weight. Resumes where it was stopped.

The loss of least error gives the mean of all that might have been there, which is soft. Here a small discriminator, which sees
the picture with the plain enlargement beside it, is asked which of truth and result looks more real (relativistic average:
Jolicoeur-Martineau, "The relativistic discriminator", 2018; for enlarging: Wang et al., "ESRGAN", 2018). Beside it: its
features are to match; blurred pictures are to be equal, which pins tone and colour; what goes beyond the truth's own range in a
small neighbourhood is punished, for that is a ripple or a halo; gradients are to be similar (Xue et al., "GMSD", 2014); each crop is
to hold as much of every fine pattern as the truth, wherever it lies, for small networks like to weave one of their own; and a
little of the old loss. What is to look real is asked only where the plain enlargement has something to go by: where it is
flat, the truth may have held texture, but nothing tells which, and a network that is asked for it without chance in it weaves
one hatching over everything. There the result stays the faithful one.
"""
import sys
import time

import numpy as np
import torch
from torch import nn
from torch.nn import functional as F

import networks
from train import BATCH, CROP, DATA, EDGE, FLOOR, Sequences, as_seen

KEEP_EVERY = 150   # steps
BANDS = (0.8, 1.6, 3.2)  # sigma, pixels: detail between one blur and the next
WEIGHTS = {"real": 0.08, "features": 0.5, "tone": 4.0, "ripple": 4.0, "gradient": 1.0, "spectrum": 0.15, "error": 0.01,
           "calm": 4.0, "flicker": 8.0}
FLAT = (1 / 219, 4 / 219)  # spread of fine detail up to which there is nothing to go by, and from which there is


class Discriminator(nn.Module):
    """in: [n, 2, h, w], a picture and its plain enlargement; out: [n, 1, h/4, w/4], more where it looks real, and features."""

    def __init__(self):
        super().__init__()
        shapes = ((2, 24, 3, 1), (24, 32, 4, 2), (32, 32, 3, 1), (32, 64, 4, 2), (64, 64, 3, 1))
        self.body = nn.ModuleList(nn.utils.spectral_norm(nn.Conv2d(i, o, k, s, padding=1)) for i, o, k, s in shapes)
        self.last = nn.Conv2d(64, 1, 1)

    def forward(self, x):
        features = []
        for layer in self.body:
            x = F.leaky_relu(layer(x), 0.2)
            features.append(x)
        return self.last(x), features


def blur(x: torch.Tensor, sigma: float) -> torch.Tensor:
    reach = int(np.ceil(3 * sigma))
    k = torch.exp(-torch.arange(-reach, reach + 1, dtype=torch.float32) ** 2 / (2 * sigma * sigma))
    k = k / k.sum()
    x = F.pad(x, (reach,) * 4, mode="reflect")
    return F.conv2d(F.conv2d(x, k.view(1, 1, 1, -1)), k.view(1, 1, -1, 1))


def gradient_similarity(a: torch.Tensor, b: torch.Tensor) -> torch.Tensor:
    """Map of GMSD's similarity, pictures 0 … 1, halved as it is published."""
    a, b = F.avg_pool2d(a, 2), F.avg_pool2d(b, 2)
    k = torch.tensor([[1, 0, -1]] * 3, dtype=torch.float32).view(1, 1, 3, 3) / 3
    size = lambda p: torch.sqrt(F.conv2d(p, k) ** 2 + F.conv2d(p, k.transpose(2, 3)) ** 2 + 1e-8)
    ga, gb, c = size(a), size(b), 170 / 255**2
    return (2 * ga * gb + c) / (ga * ga + gb * gb + c)


def something(base: torch.Tensor) -> torch.Tensor:
    """[n, 1, h, w], 0 … 1: where the plain enlargement has something to go by."""
    fine = base - blur(base, 3)
    spread = torch.sqrt(blur(fine * fine, 2) + 1e-10)
    return ((spread - FLAT[0]) / (FLAT[1] - FLAT[0])).clamp(0, 1)


def mean(values: torch.Tensor, weight: torch.Tensor) -> torch.Tensor:
    """Of a map, by weight [n, 1, h, w], which is brought to its size."""
    w = F.adaptive_avg_pool2d(weight, values.shape[-2:])
    return (values * w).sum() / (w.expand_as(values).sum() + 1)


def told_apart(real, fake, weight) -> torch.Tensor:
    """Relativistic average loss: small where `real` is found more real than `fake`."""
    return (mean(F.softplus(mean(fake, weight) - real), weight) + mean(F.softplus(fake - mean(real, weight)), weight))


def spectrum(p: torch.Tensor, weight: torch.Tensor, side: int = 16) -> torch.Tensor:
    """[n, side, side / 2 + 1]: logarithm of each crop's mean amplitude of every frequency, over windowed squares."""
    window = torch.hann_window(side, periodic=False)
    squares = F.unfold(p, side, stride=side // 2).transpose(1, 2).reshape(len(p), -1, side, side)
    squares = (squares - squares.mean((2, 3), keepdim=True)) * (window[:, None] * window[None])
    w = F.unfold(weight, side, stride=side // 2).mean(1)[:, :, None, None]
    return torch.log((torch.fft.rfft2(squares).abs() * w).sum(1) / (w.sum(1) + 0.1) + 2e-3)


class Pairs:
    """Crops of sequences and of the frame after each, as one batch: the first half's next frames are its second half."""

    def __init__(self, data: Sequences, rng: np.random.Generator, r: networks.Recipe):
        seen, truth, flow = [], [], []
        turn, flipped = int(rng.integers(4)), [3] if rng.random() < 0.5 else []
        self.turned = lambda p: torch.rot90(p, turn, (2, 3)).flip(flipped)
        self.turned_back = lambda p: torch.rot90(p.flip(flipped), -turn, (2, 3))
        for (s, _, big, _, (s_next, big_next, way)), y, x, level in data.places(rng, r, BATCH // 2):
            small, large = np.s_[:r.frames, y:y + CROP, x:x + CROP], np.s_[None, 2 * y:2 * (y + CROP), 2 * x:2 * (x + CROP)]
            seen.append((as_seen(s[small], level), as_seen(s_next[small], level)))
            truth.append(((big[large].astype(np.float32) - 16) / 219, (big_next[large].astype(np.float32) - 16) / 219))
            flow.append(way[large[1:]].astype(np.float32))
        stacked = lambda pairs: torch.from_numpy(np.stack([a for a, _ in pairs] + [b for _, b in pairs]))
        self.x, self.t, self.flow = self.turned(stacked(seen)), stacked(truth), torch.from_numpy(np.stack(flow))


def changes(p: torch.Tensor, flow: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
    """p: [2n, 1, h, w], frames and then the frames after them; flow: [n, h, w, 2], pixels, from the ones to the others.
    [n, 1, h, w]: what changes beyond movement, and where that is known (1) or not (0)."""
    here, after = p.chunk(2)
    h, w = p.shape[2:]
    y, x = torch.meshgrid(torch.arange(h), torch.arange(w), indexing="ij")
    x, y = x + flow[..., 0], y + flow[..., 1]
    known = (x >= EDGE) & (x < w - EDGE) & (y >= EDGE) & (y < h - EDGE)
    grid = torch.stack([2 * x / (w - 1) - 1, 2 * y / (h - 1) - 1], -1).clamp(-2, 2)
    moved = F.grid_sample(after, grid, mode="bicubic", padding_mode="border", align_corners=True)
    return moved - here, known[:, None].float()


def strength(change: torch.Tensor) -> torch.Tensor:
    return torch.sqrt(blur(change * change, 2) + 1e-8)


def generator_loss(judge: Discriminator, base, y, t, faithful, flow=None) -> tuple[torch.Tensor, dict]:
    with torch.no_grad():
        real, real_features = judge(torch.cat([t, base], 1))
    fake, fake_features = judge(torch.cat([y, base], 1))
    m = something(base)
    parts = {"real": told_apart(fake, real, m),
             "features": sum(mean((f - r).abs(), m) for f, r in zip(fake_features, real_features)),
             "tone": (blur(y, 3) - blur(t, 3)).abs().mean()}
    above, below = y - F.max_pool2d(t, 5, 1, 2), -F.max_pool2d(-t, 5, 1, 2) - y
    parts["ripple"] = (F.relu(above) + F.relu(below)).mean()
    parts["gradient"] = 1 - gradient_similarity(y, t).mean()
    parts["spectrum"] = (spectrum(y, m) - spectrum(t, m)).abs().mean()
    parts["calm"] = ((y - faithful).abs() * (1 - m)).mean()
    if flow is not None:
        (made, known), (true, _) = changes(y, flow), changes(t, flow)
        parts["flicker"] = mean(F.relu(strength(made) - strength(true)), known)
    parts["error"] = torch.log(((y - t) ** 2).mean((1, 2, 3)) + FLOOR[2]).mean()
    return sum(WEIGHTS[n] * p for n, p in parts.items()), {n: float(p) for n, p in parts.items()}


def plain(x, scale: int):
    """What the discriminator sees beside: this frame, enlarged."""
    return F.interpolate(x[:, :1], scale_factor=scale, mode="bicubic", align_corners=False) if scale > 1 else x[:, :1]


def energies(p: torch.Tensor) -> np.ndarray:
    """Root mean square of each band of detail."""
    blurred = [p, *(blur(p, s) for s in BANDS)]
    return np.array([float((a - b)[..., 12:-12, 12:-12].std()) for a, b in zip(blurred, blurred[1:])])


def judged(net, start, r, held) -> str:
    """On what was held back: energy of three bands over the truth's, GMSD and PSNR, of plain, faithful and crisp; flicker (8-bit
    steps, and the truth's) where the next frame is known."""
    rows = {n: [] for n in ("plain", "faithful", "crisp")}
    luma = lambda codes: torch.from_numpy((codes.astype(np.float32) - 16) / 219)
    with torch.no_grad():
        for seen, small, big, level, following in held[::2]:
            frames, truth = [seen[:r.frames]], [big if r.scale == 2 else small]
            if following:
                frames.append(following[0][:r.frames]), truth.append(following[1])
            x = torch.from_numpy(np.stack([as_seen(f, level) for f in frames]))
            t = luma(np.stack(truth))[:, None]
            for name, y in (("plain", plain(x, r.scale)), ("faithful", start(x)), ("crisp", net(x))):
                flickers = [0.0, 0.0]
                if following:
                    flow = torch.from_numpy(following[2].astype(np.float32))[None]
                    flickers = [219 * float(c[k > 0].std()) for c, k in (changes(p, flow) for p in (y, t))]
                rows[name].append([*(energies(y[:1]) / energies(t[:1])), float(gradient_similarity(y[:1], t[:1]).std()),
                                   -10 * np.log10(float(((y - t) ** 2).mean())), *flickers])
    told = lambda v: "{:.2f} {:.2f} {:.2f} gmsd {:.4f} {:.2f} dB flicker {:.2f} ({:.2f})".format(
        *np.median(v, 0)[:3], *np.nanmean(v, 0)[3:])
    return "; ".join(f"{n} {told(v)}" for n, v in rows.items())


def fit(r: networks.Recipe) -> None:
    torch.manual_seed(r.seed)
    data, net, start, judge = Sequences(r.sets_of("-crisp")), networks.shipped(r), networks.shipped(r), Discriminator()
    paired = r.scale == 2 and all(item[4] for item in data.train)
    average = {k: v.clone() for k, v in net.state_dict().items()}
    adam = torch.optim.Adam([p for p in net.parameters() if p.requires_grad], lr=r.crisp_rate, betas=(0.9, 0.99))
    judge_adam = torch.optim.Adam(judge.parameters(), lr=2 * r.crisp_rate, betas=(0.9, 0.99))
    path, first = DATA / f"{r.name}-crisp.pt", 0
    if path.exists():
        kept = torch.load(path)
        net.load_state_dict(kept["net"]), adam.load_state_dict(kept["adam"])
        judge.load_state_dict(kept["judge"]), judge_adam.load_state_dict(kept["judge_adam"])
        average, first = kept["average"], kept["step"]
    began = time.time()
    for step in range(first, r.crisp_steps):
        rng = np.random.default_rng((r.seed, step, 1))
        for optimiser, rate in ((adam, r.crisp_rate), (judge_adam, 2 * r.crisp_rate)):
            for group in optimiser.param_groups:
                group["lr"] = rate * (0.55 + 0.45 * np.cos(np.pi * step / r.crisp_steps)) * min(1, (step + 1) / 50)
        inner = (..., slice(EDGE * r.scale, -EDGE * r.scale), slice(EDGE * r.scale, -EDGE * r.scale))
        if paired:
            pairs = Pairs(data, rng, r)
            x, t, flow = pairs.x, pairs.t[inner], pairs.flow[:, inner[1], inner[2]]
            back = lambda made: pairs.turned_back(made)[inner]
        else:
            x, t = data.crops(rng, r)
            t, flow, back = t[inner], None, lambda made: made[inner]
        base, y = back(plain(x, r.scale)), back(net(x))
        with torch.no_grad():
            faithful = back(start(x))

        for p in judge.parameters():
            p.requires_grad_(False)
        loss, parts = generator_loss(judge, base, y, t, faithful, flow)
        adam.zero_grad(), loss.backward()
        torch.nn.utils.clip_grad_norm_(net.parameters(), 0.5)
        adam.step()

        for p in judge.parameters():
            p.requires_grad_(True)
        told, _ = judge(torch.cat([torch.cat([t, base], 1), torch.cat([y.detach(), base], 1)]))
        real, fake = told.chunk(2)
        judge_loss = told_apart(real, fake, something(base))
        judge_adam.zero_grad(), judge_loss.backward(), judge_adam.step()

        pace = min(0.995, step / (step + 20))
        for k, v in net.state_dict().items():
            average[k] = average[k] * pace + v * (1 - pace)
        if (step + 1) % KEEP_EVERY == 0 or step + 1 == r.crisp_steps:
            torch.save({"net": net.state_dict(), "adam": adam.state_dict(), "judge": judge.state_dict(), "average": average,
                        "judge_adam": judge_adam.state_dict(), "step": step + 1}, path)
            smooth = networks.shipped(r)
            smooth.load_state_dict(average)
            rate = (step + 1 - first) * BATCH / (time.time() - began)
            print(f"{r.name} {step + 1}/{r.crisp_steps}  {rate:.1f} crops/s  judge {float(judge_loss):.2f}  "
                  + " ".join(f"{n} {p:.4f}" for n, p in parts.items()) + "\n  " + judged(smooth, start, r, data.held), flush=True)


if __name__ == "__main__":
    torch.set_num_threads(1)
    wanted = sys.argv[1:] or ["all"]
    for r in networks.recipes():
        if r.crisp_steps and (r.name in wanted or "all" in wanted):
            fit(r)
