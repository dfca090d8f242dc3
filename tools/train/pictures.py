"""Where training pictures come from: photographs that Debian packages ship, and drawings made here.

Nothing is kept in the repository: `fetch()` downloads the packages by name with apt and unpacks them beside the data,
without installing them. A picture is a float32 array, height × width, luma from 0 (black) to 1 (white).
"""
import math
import pathlib
import random
import subprocess

import cv2
import numpy as np

PACKAGES = ("plasma-workspace-wallpapers mate-backgrounds lomiri-wallpapers-16.04 lomiri-wallpapers-20.04 "
            "ukui-wallpapers sway-backgrounds gnome-backgrounds palapeli-data tuxpaint-data python3-sklearn "
            "tuxpaint-stamps-default gcompris-qt-data trigger-rally-data supertuxkart-data torcs-data fotoxx-common "
            "hugin-data").split()
DRAWN_PACKAGES = ["wesnoth-1.16-data"]  # painted portraits and scenes
LEAST_SIDE = 380  # smaller pictures hold too little detail for their size
WORLD_SIDE = 1300  # pixels; smaller pictures are joined to worlds of this size


def fetch(folder: pathlib.Path, packages: list[str]) -> list[pathlib.Path]:
    """Paths of the packages' pictures, sorted. Downloads what is missing (about 2 GB in all)."""
    folder.mkdir(parents=True, exist_ok=True)
    for package in packages:
        if (folder / package).is_dir():
            continue
        subprocess.run(["apt-get", "download", package], cwd=folder, check=True, stdout=subprocess.DEVNULL)
        for deb in folder.glob(package + "_*.deb"):
            subprocess.run(["dpkg-deb", "-x", str(deb), str(folder / package)], check=True)
            deb.unlink()
        for bundle in (folder / package).rglob("*.rcc"):
            unbundle(bundle)
    found = [p for name in packages for p in (folder / name).rglob("*")
             if p.suffix.lower() in (".jpg", ".jpeg", ".png", ".webp") and p.is_file() and not p.is_symlink()]
    largest: dict[pathlib.Path, pathlib.Path] = {}  # wallpapers come in many sizes of one picture: keep the largest
    for p in found:
        if p.parent.name.startswith("images") and p.parent.parent.name == "contents":
            q = largest.get(p.parent)
            if q is None or p.stat().st_size > q.stat().st_size:
                largest[p.parent] = p
    alone = [p for p in found if p.parent not in largest]
    return sorted([*alone, *largest.values()])


def unbundle(bundle: pathlib.Path) -> None:
    """Writes the WebP pictures inside a resource bundle beside it (they are stored as they are)."""
    data, at, count = bundle.read_bytes(), -1, 0
    while (at := data.find(b"RIFF", at + 1)) >= 0:
        if data[at + 8:at + 12] == b"WEBP":
            size = int.from_bytes(data[at + 4:at + 8], "little") + 8
            (bundle.parent / f"{bundle.stem}-{count:03d}.webp").write_bytes(data[at:at + size])
            count += 1


def luma(bgr: np.ndarray) -> np.ndarray:
    """BT.709 luma of 8-bit B, G, R."""
    return (bgr.astype(np.float32) @ np.array([0.0722, 0.7152, 0.2126], np.float32)) / 255


def load(path: pathlib.Path) -> tuple[np.ndarray, np.ndarray | None] | None:
    """Luma and, for a cut-out, its cover (0 … 1). None where the picture is small or next to empty: abstract fills
    teach nothing. Large pictures are halved: their finest pixels are often soft."""
    raw = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    if raw is None or raw.ndim != 3 or raw.dtype != np.uint8:
        return None
    cover = raw[..., 3].astype(np.float32) / 255 if raw.shape[2] == 4 and raw[..., 3].min() < 255 else None
    if min(raw.shape[:2]) < (LEAST_SIDE if cover is None else 200):
        return None
    blue, green, red = raw[..., :3].mean(axis=(0, 1))
    if blue > 200 and abs(green - 128) < 16 and abs(red - 128) < 16:
        return None  # games' maps of slopes: no picture
    y = luma(raw[..., :3])
    if cover is not None:
        return (y, cover) if cover.mean() > 0.2 else None
    if min(y.shape) > 2000:
        y = cv2.resize(y, (y.shape[1] // 2, y.shape[0] // 2), interpolation=cv2.INTER_AREA)
    small = cv2.resize(y, (y.shape[1] // 2, y.shape[0] // 2), interpolation=cv2.INTER_AREA)
    detail = np.abs(small - cv2.GaussianBlur(small, (0, 0), 1.0))
    return (y, None) if detail.mean() > 0.004 else None


def worlds(photos: list[np.ndarray], rng: random.Random) -> list[np.ndarray]:
    """Large photographs as they are; small ones side by side, at their own size, until a world is wide enough."""
    large = [y for y in photos if min(y.shape) >= WORLD_SIDE * 0.75]
    small = [y for y in photos if min(y.shape) < WORLD_SIDE * 0.75]
    rng.shuffle(small)
    joined = []
    while small:
        rows, height = [], 0
        while height < WORLD_SIDE and small:
            row = [small.pop()]
            while sum(y.shape[1] for y in row) < WORLD_SIDE and small:
                row.append(small.pop())
            h = min(y.shape[0] for y in row)
            strip = np.hstack([y[:h] for y in row])
            short = max(0, WORLD_SIDE - strip.shape[1])
            rows.append(np.pad(strip, ((0, 0), (0, short)), mode="symmetric"))
            height += h
        joined.append(np.vstack([r[:, :WORLD_SIDE] for r in rows]))
    return large + [w for w in joined if min(w.shape) >= WORLD_SIDE * 0.75]


# ---- drawings: text, line art, thin structures, interface-like screens ------------------------------------------

FONTS_FOLDER = pathlib.Path("/usr/share/fonts")
WORDS = ("clay glaze kiln wheel hands shelf bowl cup plate ash river stone 12.50 8:45 OK Play Score 1024 Level "
         "fire water open save edit view next back price week small large The quick and of to in").split()


def _fonts():
    from PIL import ImageFont
    files = sorted(p for e in ("*.ttf", "*.otf") for p in FONTS_FOLDER.rglob(e))
    return files, ImageFont


def draw(rng: random.Random, side: int) -> np.ndarray:
    """A made-up drawing of side × side pixels: drawn at three times the size, then averaged, so edges are true."""
    k = 3
    n = side * k
    shade = lambda: rng.choice((rng.random(), rng.random() ** 3, 1 - rng.random() ** 3))
    y = np.full((n, n), shade(), np.float32)
    if rng.random() < 0.3:  # a slow ramp behind everything
        a, b = np.meshgrid(np.linspace(0, 1, n, dtype=np.float32), np.linspace(0, 1, n, dtype=np.float32))
        y += (rng.random() - 0.5) * a + (rng.random() - 0.5) * b
    what = rng.choice(("text", "lines", "screen", "shapes", "mixed", "mixed"))
    if what in ("shapes", "screen", "mixed"):
        for _ in range(rng.randint(5, 40)):
            p = (rng.randrange(n), rng.randrange(n))
            s = int(n * rng.random() ** 2 * 0.4) + 6
            kind = rng.random()
            if kind < 0.5 or what == "screen":
                q = (p[0] + s, p[1] + max(4, int(s * rng.uniform(0.1, 1))))
                cv2.rectangle(y, p, q, shade(), -1)
                if rng.random() < 0.5:
                    cv2.rectangle(y, p, q, shade(), rng.choice((3, 3, 4, 6)))
            elif kind < 0.75:
                cv2.circle(y, p, s // 2 + 2, shade(), rng.choice((-1, -1, 3, 5, 9)))
            else:
                pts = np.array([[p[0] + rng.randint(-s, s), p[1] + rng.randint(-s, s)] for _ in range(rng.randint(3, 7))])
                cv2.fillPoly(y, [pts], shade())
    if what in ("lines", "mixed"):
        for _ in range(rng.randint(10, 60)):
            w = rng.choice((2, 3, 3, 4, 5, 6, 9, 14))
            if rng.random() < 0.5:
                cv2.line(y, (rng.randrange(n), rng.randrange(n)), (rng.randrange(n), rng.randrange(n)), shade(), w)
            else:
                cv2.ellipse(y, (rng.randrange(n), rng.randrange(n)), (rng.randint(5, n // 3), rng.randint(5, n // 3)),
                            rng.random() * 180, 0, rng.randint(40, 360), shade(), w)
        if rng.random() < 0.4:  # a hatch: repeated thin lines
            c, step, w, ink = rng.random() * math.pi, rng.randint(6, 30), rng.choice((2, 3, 4)), shade()
            x0, y0, s = rng.randrange(n), rng.randrange(n), rng.randint(n // 8, n // 2)
            for i in range(s // step):
                o = (int(x0 + i * step * math.cos(c)), int(y0 + i * step * math.sin(c)))
                e = (int(o[0] - s * math.sin(c)), int(o[1] + s * math.cos(c)))
                cv2.line(y, o, e, ink, w)
    if what in ("text", "screen", "mixed"):
        from PIL import Image, ImageDraw
        files, ImageFont = _fonts()
        picture = Image.fromarray(np.clip(y * 255, 0, 255).astype(np.uint8))
        pen = ImageDraw.Draw(picture)
        for _ in range(rng.randint(6, 40)):
            size = int(k * rng.choice((7, 9, 10, 12, 14, 16, 20, 28, 44)))
            font = ImageFont.truetype(str(rng.choice(files)), size)
            line = " ".join(rng.choice(WORDS) for _ in range(rng.randint(1, 8)))
            pen.text((rng.randrange(-n // 8, n), rng.randrange(n)), line, fill=int(255 * shade()), font=font)
        y = np.asarray(picture, np.float32) / 255
    return np.clip(cv2.resize(y, (side, side), interpolation=cv2.INTER_AREA), 0, 1)
