"""Frames of encoded, filtered and untouched clips with how hard they were compressed, for the estimate's training.
`python3 encodes.py OUT.npz COUNT --seed N`.

A set holds seen, uint8 [count, SIDE, SIDE] luma codes (16 … 235), and crf, float32 [count], the rate factor of the hardest
encode (0: none). Untouched clips are as varied as can be: what cameras and editors smooth, sharpen or enlarge looks much
like an encode's work, and must not be taken for it.
"""
import random

import cv2
import numpy as np

import sequences
from sequences import arguments, codes, encode, grain, moving, shrink, stock_for

SIDE = sequences.SIDE


def finished(rng: random.Random, frames: list[np.ndarray]) -> list[np.ndarray]:
    """As cameras and editors leave pictures: smoothed along edges, painted, softened, sharpened, grainy; or left alone."""
    way = rng.choice(("none", "none", "none", "bilateral", "median", "shift", "blur", "sharpen", "smaller", "noise", "noise"))
    if way == "bilateral":
        wide, far = rng.uniform(1, 4), rng.uniform(0.02, 0.2)
        return [cv2.bilateralFilter(f, 0, far, wide) for f in frames]
    if way == "median":
        side = rng.choice((3, 3, 5))
        return [cv2.medianBlur(f, side) for f in frames]
    if way == "shift":  # large smooth areas with hard edges, as painted
        far = rng.uniform(5, 25)
        def paint(f):
            bgr = cv2.cvtColor(np.round(f * 255).astype(np.uint8), cv2.COLOR_GRAY2BGR)
            return cv2.pyrMeanShiftFiltering(bgr, 6, far, maxLevel=0)[..., 0].astype(np.float32) / 255
        return [paint(f) for f in frames]
    if way == "blur":
        sigma = rng.uniform(0.4, 2.5)
        return [cv2.GaussianBlur(f, (0, 0), sigma) for f in frames]
    if way == "sharpen":
        sigma, amount = rng.uniform(0.6, 2), rng.uniform(0.3, 1.5)
        return [np.clip(f + amount * (f - cv2.GaussianBlur(f, (0, 0), sigma)), 0, 1) for f in frames]
    if way == "smaller":  # enlarged from a smaller size
        n = int(SIDE / rng.uniform(1.2, 3))
        kernel = rng.choice((cv2.INTER_LINEAR, cv2.INTER_CUBIC, cv2.INTER_LANCZOS4))
        return [np.clip(cv2.resize(cv2.resize(f, (n, n), interpolation=cv2.INTER_AREA), (SIDE, SIDE), interpolation=kernel), 0, 1)
                for f in frames]
    if way == "noise":
        return grain(rng, frames, rng.uniform(0.5, 8))
    return frames


def one(rng: random.Random, stock: list, cutouts: list) -> tuple[np.ndarray, float]:
    fine = rng.random() < 0.6
    frames = moving(rng, stock, cutouts, SIDE * 2 if fine else SIDE)
    if rng.random() < 0.15:  # nothing moves
        frames = [frames[0]] * len(frames)
    if fine:
        frames, _ = shrink(rng, frames)
    seen = codes(finished(rng, frames))
    crfs: list[float] = []
    draw = rng.random()
    if draw < 0.45:
        crfs = [rng.uniform(12, 38)]
    elif draw < 0.7:  # encoded finely again, as editors and uploads do
        crfs = [rng.uniform(20, 38), rng.uniform(8, 20)]
    elif draw < 0.78:
        crfs = [rng.uniform(2, 14)]
    for crf in crfs:
        seen = encode(seen, rng, crf)
    return rng.choice(seen[2:]), max(crfs, default=0.0)


if __name__ == "__main__":
    o = arguments()
    rng = random.Random(o.seed)
    stocks = [stock_for(kind, o.packages, rng) for kind in ("general", "drawn")]
    made = [one(rng, *stocks[rng.random() < 0.2]) for _ in range(o.count)]
    np.savez(o.out, seen=np.stack([m[0] for m in made]), crf=np.array([m[1] for m in made], np.float32))
