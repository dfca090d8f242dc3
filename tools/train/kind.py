#!/usr/bin/env python3
"""Fits and judges the rule that tells drawn pictures from natural ones (core/inspect/measure_kind.cpp).

Pictures under 13 damages; logistic regression on three features; judged in ten folds, a picture's damaged forms always
in one. Prints the share told rightly under each damage, the pictures told wrongly, and the coefficients.

    tools/train/kind.py NATURAL-FOLDER DRAWN-FOLDER
"""
import pathlib
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor

import cv2
import numpy as np

DOUBT = 0.8
WINDOW = 12


def encoded(picture, crf):
    """One picture through x264 and back."""
    h, w = picture.shape[0] // 2 * 2, picture.shape[1] // 2 * 2
    raw = f"-f rawvideo -pix_fmt bgr24 -s {w}x{h}"
    run = lambda words, data: subprocess.run(["ffmpeg", "-v", "error", *words.split()], input=data, stdout=subprocess.PIPE, check=True).stdout
    stream = run(f"{raw} -i - -c:v libx264 -pix_fmt yuv420p -crf {crf} -f h264 -", np.ascontiguousarray(picture[:h, :w]).tobytes())
    return np.frombuffer(run("-f h264 -i - -f rawvideo -pix_fmt bgr24 -", stream), np.uint8)[:h * w * 3].reshape(h, w, 3)


def noisy(picture, sigma):
    return np.clip(picture + np.random.default_rng(3).normal(0, sigma, picture.shape), 0, 255).astype(np.uint8)


def resized(picture, by, how):
    return cv2.resize(picture, None, fx=by, fy=by, interpolation=how)


def blurred(picture, sigma):
    return cv2.GaussianBlur(picture, (0, 0), sigma)


DAMAGES = {"clean": lambda p: p, "blur 1": lambda p: blurred(p, 1), "blur 2": lambda p: blurred(p, 2),
           "noise 3": lambda p: noisy(p, 3), "noise 6": lambda p: noisy(p, 6), "noise 12": lambda p: noisy(p, 12),
           "crf 23": lambda p: encoded(p, 23), "crf 30": lambda p: encoded(p, 30), "crf 36": lambda p: encoded(p, 36),
           "crf 42": lambda p: encoded(p, 42), "half, crf 30": lambda p: encoded(resized(p, 0.5, cv2.INTER_AREA), 30),
           "double": lambda p: resized(p, 2, cv2.INTER_CUBIC), "blur, noise, crf 32": lambda p: encoded(noisy(blurred(p, 0.6), 6), 32)}


def lit(y):
    rows, columns = np.where(y.max(1) > 24)[0], np.where(y.max(0) > 24)[0]
    return y[rows[0]:rows[-1] + 1, columns[0]:columns[-1] + 1] if len(rows) else y


def windows(y):
    """Median share of a window's variance that two tones explain; share of windows that hold an edge."""
    h, w = y.shape[0] // WINDOW, y.shape[1] // WINDOW
    n = WINDOW * WINDOW
    all_ = y[:h * WINDOW, :w * WINDOW].reshape(h, WINDOW, w, WINDOW).swapaxes(1, 2).reshape(-1, n)
    kept = np.sort(all_[all_.std(1) > 6], 1)
    if len(kept) < 4:
        return 0.7, len(kept) / max(1, len(all_))
    sums, k = np.cumsum(kept, 1), np.arange(1, n)
    apart = sums[:, :-1] / k - (sums[:, -1:] - sums[:, :-1]) / (n - k)
    return np.median((k * (n - k) / n ** 2 * apart ** 2).max(1) / kept.var(1)), len(kept) / len(all_)


def features(picture):
    """(3,): as measured by core/inspect/measure_kind.cpp, of a BGR picture."""
    luma = cv2.cvtColor(picture, cv2.COLOR_BGR2YCrCb)[..., 0].astype(np.float32)
    k = max(1, round(max(luma.shape) / 320))
    near, far = (lit(cv2.resize(luma, (luma.shape[1] // n, luma.shape[0] // n), interpolation=cv2.INTER_AREA)) for n in (k, 2 * k))
    tones = np.sort(np.bincount(near.astype(int).ravel() // 4, minlength=64))[::-1]
    return windows(near)[0], tones[:3].sum() / near.size, windows(far)[1]


def fitted(x, y, ridge=1e-2):
    """Newton's method for a ridge-penalised logistic regression, both kinds weighing the same."""
    a, b = np.c_[x, np.ones(len(x))], np.zeros(x.shape[1] + 1)
    weight = np.where(y, len(y) / 2 / y.sum(), len(y) / 2 / (~y).sum())
    penalty = ridge * len(x) * np.diag(np.r_[np.ones(x.shape[1]), 0])
    for _ in range(60):
        p = 1 / (1 + np.exp(-a @ b))
        b -= np.linalg.solve((a * (weight * p * (1 - p))[:, None]).T @ a + penalty + 1e-6 * np.eye(len(b)), a.T @ (weight * (p - y)) + penalty @ b)
    return b


def main(natural, drawn):
    files = [(p, False) for p in sorted(pathlib.Path(natural).iterdir())] + [(p, True) for p in sorted(pathlib.Path(drawn).iterdir())]

    def looked(item):
        picture = cv2.imread(str(item[0]))
        return [] if picture is None else [(item[0].stem, name, item[1], features(damage(picture))) for name, damage in DAMAGES.items()]

    with ThreadPoolExecutor() as pool:
        rows = [r for found in pool.map(looked, files) for r in found]
    names, damages, y, x = (np.array(c) for c in zip(*rows))
    mean, spread = x.mean(0), x.std(0)
    z = (x - mean) / spread
    odds = np.zeros(len(y))
    order = np.random.default_rng(1).permutation(np.unique(names))
    for fold in range(10):
        held = np.isin(names, order[fold::10])
        odds[held] = np.c_[z[held], np.ones(held.sum())] @ fitted(z[~held], y[~held])
    right, sure = (odds > 0) == y, np.abs(odds) >= DOUBT
    for name in DAMAGES:
        print(f"{name:22} {right[damages == name].mean():.3f}")
    print(f"all {right.mean():.3f}, in doubt {1 - sure.mean():.3f}, wrong without doubt {(sure & ~right).mean():.3f}")
    print("wrong:", ", ".join(sorted({n for n, r in zip(names, right) if not r})))
    b = fitted(z, y)
    print("coefficients", b[:-1] / spread, "offset", b[-1] - (b[:-1] * mean / spread).sum())


if __name__ == "__main__":
    main(*sys.argv[1:])
