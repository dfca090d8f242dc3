"""Trains the networks that enlarge four times at once: `python3 fourfold.py NAME…|all`. Resumes where they were stopped.

They see what the first pass made. Two more passes of the quick network make it four times as large, the last of them of four
times as many pixels as that before; these networks do nearly the same from the fewer pixels. Each learns from those two passes
(Hinton, Vinyals, Dean, "Distilling the Knowledge in a Neural Network", 2015), its faithful and its crisp end together: at every
step weights somewhere between both are to give what the quick network's, mixed likewise, give.
"""
import sys
import time

import numpy as np
import torch
from torch.nn.utils.stateless import functional_call

import networks
from networks import Recipe, Restorer
from train import BATCH, DATA, FLOOR, Sequences, as_seen

KEEP_EVERY = 250
RATE = 2e-3
CUT = 12            # pixels of what the first pass made that its crop's edges may show in
EDGE = 12           # of the same, which the loss leaves out: the passes' own reach
BY_QUICK = 0.2      # of the steps: the first pass is the quick network's
DETAIL = 1.0        # weight of how much fine detail there is
REACHES = (2, 4)    # pixels of the result
FAINT = 1e-6        # of squared second differences: nobody sees less


def told(p: torch.Tensor) -> torch.Tensor:
    return torch.cat([p, p.new_zeros(len(p), networks.LEVELS, *p.shape[2:])], 1)


class Passes:
    """What the shipped networks make, by how crisp they are. Mixtures are in steps of a tenth, and kept."""

    def __init__(self, r: Recipe):
        self.full, self.quick = (networks.of_name(f"{r.kind}-x2-{size}") for size in ("full", "quick"))
        self.recipe, self.kept = r, {}

    def mixed(self, r: Recipe, share: float) -> Restorer:
        if (r.name, share) not in self.kept:
            self.kept[r.name, share] = networks.mixed(r, share)
        return self.kept[r.name, share]

    def first(self, x: torch.Tensor, share: float, by_quick: bool = False) -> torch.Tensor:
        """x: as the full network takes it; [n, 1 + LEVELS, h, w]: what it or the quick one makes, told of no damage."""
        if by_quick:
            x = torch.cat([x[:, :1], x[:, -networks.LEVELS:]], 1)
        with torch.no_grad():
            return told(self.mixed(self.quick if by_quick else self.full, share)(x)[..., CUT:-CUT, CUT:-CUT])

    def further(self, x: torch.Tensor, share: float) -> torch.Tensor:
        """[n, 1, 4h, 4w]: what two more passes make of it."""
        again = self.mixed(self.quick, share * self.recipe.crisp_share)
        with torch.no_grad():
            return again(told(again(x)))


def between(ends: list[Restorer], share: float) -> dict:
    a, b = (dict(e.named_parameters()) for e in (ends[0], ends[-1]))
    return {k: torch.lerp(a[k], b[k], share) for k in a}


def bent(p: torch.Tensor, reach: int) -> torch.Tensor:
    """[n]: mean square of second differences, across and down: how much there is of what is about so fine."""
    across = p[..., 2 * reach:] - 2 * p[..., reach:-reach] + p[..., :-2 * reach]
    down = p[..., 2 * reach:, :] - 2 * p[..., reach:-reach, :] + p[..., :-2 * reach, :]
    return (across ** 2).mean((1, 2, 3)) + (down ** 2).mean((1, 2, 3))


def loss_of(y: torch.Tensor, t: torch.Tensor) -> torch.Tensor:
    """Each crop's error in decibels, as train.py has it, and how much less or more fine detail there is: the least error alone
    would be softer than what is to be learned."""
    y, t = (p[..., 4 * EDGE:-4 * EDGE, 4 * EDGE:-4 * EDGE] for p in (y, t))
    detail = sum((torch.log(bent(y, n) + FAINT) - torch.log(bent(t, n) + FAINT)).abs().mean() for n in REACHES)
    return torch.log(((y - t) ** 2).mean((1, 2, 3)) + FLOOR[2]).mean() + DETAIL * detail / len(REACHES)


def judged(ends: list[Restorer], passes: Passes, data: Sequences) -> str:
    """Of what was held back: PSNR against the two passes, and how much of their finest band and the next there is."""
    from crisp import energies
    lines = []
    for share in (0.0, 0.5, 1.0) if len(ends) > 1 else (0.0,):
        rows = []
        for seen, _, _, level, _ in data.held[::3]:
            x = passes.first(torch.from_numpy(as_seen(seen[:, 100:180, 100:180], level))[None], share)
            t = passes.further(x, share)
            with torch.no_grad():
                y = functional_call(ends[0], between(ends, share), x)
            inner = (..., slice(4 * EDGE, -4 * EDGE), slice(4 * EDGE, -4 * EDGE))
            rows.append([-10 * np.log10(float(((y - t)[inner] ** 2).mean()) + 1e-9), *(energies(y[inner]) / energies(t[inner]))[:2]])
        lines.append("{:.0f} %: {:.2f} dB, {:.3f} {:.3f}".format(100 * share, *np.mean(rows, 0)))
    return "; ".join(lines)


def fit(r: Recipe) -> None:
    torch.manual_seed(r.seed)
    endings = ("", "-crisp") if r.crisp_share else ("",)
    data, passes, ends = Sequences(r.sets), Passes(r), [Restorer(r) for _ in endings]
    for end in ends:
        end.load_start(networks.shipped_weights(networks.of_name(r.start)))
        end.to(memory_format=torch.channels_last)
    ends[-1].load_state_dict(ends[0].state_dict())
    path, first = DATA / f"{r.name}.both.pt", 0
    parameters = [p for e in ends for p in e.parameters()]
    averages, adam = [{k: v.clone() for k, v in e.state_dict().items()} for e in ends], torch.optim.Adam(parameters, lr=RATE)
    if path.exists():
        kept = torch.load(path)
        [e.load_state_dict(s) for e, s in zip(ends, kept["nets"])]
        adam.load_state_dict(kept["adam"])
        averages, first = kept["averages"], kept["step"]
    began = time.time()
    for step in range(first, r.steps):
        rng = np.random.default_rng((r.seed, step, 4))
        for group in adam.param_groups:
            group["lr"] = RATE * (0.5 + 0.5 * np.cos(np.pi * step / r.steps)) * min(1, (step + 1) / 100) + 1e-6
        share = round(min(1, max(0, rng.uniform(-0.2, 1.2))), 1) if len(ends) > 1 else 0.0
        x = passes.first(data.crops(rng, passes.full)[0], share, rng.random() < BY_QUICK)
        t = passes.further(x, share)
        loss = loss_of(functional_call(ends[0], between(ends, share), x), t)
        adam.zero_grad(), loss.backward()
        torch.nn.utils.clip_grad_norm_(parameters, 0.5)
        adam.step()
        pace = min(0.998, step / (step + 50))
        for average, end in zip(averages, ends):
            for k, v in end.state_dict().items():
                average[k] = average[k] * pace + v * (1 - pace)
        if (step + 1) % KEEP_EVERY == 0 or step + 1 == r.steps:
            torch.save({"nets": [e.state_dict() for e in ends], "adam": adam.state_dict(), "averages": averages, "step": step + 1}, path)
            smooth = [Restorer(r) for _ in ends]
            for end, average, ending in zip(smooth, averages, endings):
                end.load_state_dict(average)
                torch.save({"average": average, "step": step + 1}, DATA / f"{r.name}{ending}.pt")
            rate = (step + 1 - first) * BATCH / (time.time() - began)
            print(f"{r.name} {step + 1}/{r.steps}  {rate:.0f} crops/s  loss {float(loss):.5f}  {judged(smooth, passes, data)}", flush=True)


if __name__ == "__main__":
    torch.set_num_threads(1)
    wanted = sys.argv[1:] or ["all"]
    for r in networks.recipes():
        if r.scale == 4 and (r.name in wanted or "all" in wanted):
            fit(r)
