"""How natural a picture looks, without its truth: NIQE (Mittal, Soundararajan, Bovik, "Making a completely blind image quality
analyzer", 2013), fitted on the pictures that networks are trained on. Less is more natural. Luma codes throughout.
"""
import numpy as np
import cv2
from scipy.special import gamma

PATCH = 96
SHAPES = np.arange(0.2, 10, 0.001)
RATIOS = gamma(2 / SHAPES) ** 2 / (gamma(1 / SHAPES) * gamma(3 / SHAPES))


def normalised(luma: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Mean subtracted, contrast normalised coefficients; and the deviation that they were divided by."""
    blur = lambda p: cv2.GaussianBlur(p, (7, 7), 7 / 6)
    mean = blur(luma)
    deviation = np.sqrt(np.abs(blur(luma * luma) - mean * mean))
    return (luma - mean) / (deviation + 1), deviation


def asymmetric(v: np.ndarray) -> tuple[float, float, float]:
    """An asymmetric generalised Gaussian fitted by moments: shape, left and right deviation."""
    left, right = v[v < 0], v[v > 0]
    l, r = np.sqrt(np.mean(left ** 2)) if left.size else 1e-6, np.sqrt(np.mean(right ** 2)) if right.size else 1e-6
    g = l / r
    ratio = np.mean(np.abs(v)) ** 2 / max(np.mean(v ** 2), 1e-12) * (g ** 3 + 1) * (g + 1) / (g ** 2 + 1) ** 2
    return SHAPES[np.argmin((RATIOS - ratio) ** 2)], l, r


def features_of(m: np.ndarray) -> list[float]:
    shape, l, r = asymmetric(m)
    out = [shape, (l + r) / 2]
    for dy, dx in ((0, 1), (1, 0), (1, 1), (1, -1)):
        a, l, r = asymmetric(m * np.roll(m, (-dy, -dx), (0, 1)))
        out += [a, (r - l) * gamma(2 / a) / np.sqrt(gamma(1 / a) * gamma(3 / a)), l, r]
    return out


def patches(luma: np.ndarray, least_sharp: float = 0) -> np.ndarray:
    """[n, 36]: features of each whole patch at two scales; those duller than a share of the sharpest are left out."""
    rows, sharp = [], []
    half = cv2.resize(luma, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_CUBIC)
    (m1, d), (m2, _) = normalised(luma), normalised(half)
    for y in range(0, luma.shape[0] - PATCH + 1, PATCH):
        for x in range(0, luma.shape[1] - PATCH + 1, PATCH):
            rows.append(features_of(m1[y:y + PATCH, x:x + PATCH])
                        + features_of(m2[y // 2:(y + PATCH) // 2, x // 2:(x + PATCH) // 2]))
            sharp.append(d[y:y + PATCH, x:x + PATCH].mean())
    rows, sharp = np.array(rows), np.array(sharp)
    return rows[sharp >= least_sharp * sharp.max()] if len(rows) else rows


class Niqe:
    def __init__(self, pictures: list[np.ndarray]):
        all_rows = np.concatenate([patches(p.astype(np.float64), 0.75) for p in pictures])
        self.mean, self.spread = all_rows.mean(0), np.cov(all_rows.T)

    def __call__(self, luma: np.ndarray) -> float:
        rows = patches(luma.astype(np.float64))
        if len(rows) < 2:
            return float("nan")
        d = rows.mean(0) - self.mean
        return float(np.sqrt(d @ np.linalg.pinv((self.spread + np.cov(rows.T)) / 2) @ d))
