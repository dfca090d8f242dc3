"""Pictures that were enlarged once, with known truth at twice their size: what a second pass of enlarging sees.
`python3 second.py general|rough OUT.npz COUNT --seed N` writes a set of them, as sequences.py does: seen uint8 [1, h, w] is
what the network that ships made of a damaged sequence of half that size, somewhere between its faithful and its crisp end;
level is 0, for that is what a second pass is told.
"""
import random

import numpy as np
import torch

import networks
import sequences
from sequences import LENGTH, SIDE, WAYS
from train import as_seen

MIXED = (0.3, 1.0)  # from the faithful network (0) to the crisp one (1)


def one(rng: random.Random, stock: list, cutouts: list, r: networks.Recipe) -> tuple[np.ndarray, ...]:
    frames = sequences.moving(rng, stock, cutouts, SIDE * 2)
    between, way = sequences.shrink(rng, frames)
    small, _ = sequences.shrink(rng, between)
    seen, crf, sigma = sequences.damage(rng, small, 0.9 if r.kind == "rough" else 0.25)
    middle = LENGTH // 2
    x = as_seen(sequences.with_neighbours(seen, middle), networks.levels_of(np.array([crf, sigma])))
    with torch.no_grad():
        y = networks.mixed(r, rng.uniform(*MIXED))(torch.from_numpy(x)[None])[0, 0].numpy()
    return (np.stack(sequences.codes([y])), sequences.codes([between[middle]])[0], sequences.codes([frames[middle]])[0],
            np.array([0, 0, WAYS.index(way)], np.float32))


if __name__ == "__main__":
    torch.set_num_threads(1)
    o = sequences.arguments("general", "rough")
    rng = random.Random(o.seed)
    stock, cutouts = sequences.stock_for(o.kind, o.packages, rng)
    recipe = networks.of_name(f"{o.kind}-x2-full")
    sequences.write(o.out, [one(rng, stock, cutouts, recipe) for _ in range(o.count)])
