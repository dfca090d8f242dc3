"""Short moving sequences with known truth, damaged as people's clips are: scaled down, blurred, noisy, and really
encoded by x264, x265 or an MPEG-4 part 2 encoder, once or twice. `python3 sequences.py KIND OUT.npz COUNT --seed N`
writes a set of them.

A set holds, for each sequence:
  seen   uint8 [frames, h, w]   luma codes (16 … 235) of the middle frame and its neighbours brought onto it
                                (order: this, -1, +1, -2, +2)
  small  uint8 [h, w]           the middle frame before it was damaged: truth for cleaning only
  truth  uint8 [2·h, 2·w]       the middle frame as it should be at twice the size
  level  float32 [3]            compression (rate factor of the hardest encode), noise (sigma in 8-bit steps), and which
                                of WAYS made it smaller
With --next, what crisp.py needs to tell flicker as well:
  seen_next, truth_next         the same of the frame after the middle one
  flow   float16 [2·h, 2·w, 2]  where in it each pixel of the middle frame's truth went, pixels; far away where it is not seen
"""
import argparse
import io
import pathlib
import random

import av
import cv2
import numpy as np

import align
import pictures

LENGTH = 9  # frames of a sequence; long enough that the middle ones are predicted as in a real clip
SIDE = 352  # of the small frame, pixels
UNSEEN = 30000.0  # pixels of movement: out of every picture
SEEN_ALIKE = 8    # luma codes, mean of 7 × 7, up to which two frames show the same


def moving(rng: random.Random, stock: list, cutouts: list, side: int) -> list[np.ndarray]:
    """LENGTH frames of side × side: a picture panned, zoomed and turned, sometimes with another object over it."""
    def path(world: np.ndarray, layers: list[np.ndarray]):
        h, w = world.shape
        scale = min(rng.choice((0.5, 0.7, 0.85, 1.0, 1.0, 1.3, 1.6, 2.2, 3.0)), min(h, w) / side * 0.95)
        # Below 1 the picture is soft at its own size, as many clips are: networks must not take that for their work.
        if scale > 1.05:
            layers = [cv2.GaussianBlur(l, (0, 0), 0.42 * scale) for l in layers]
        speed = rng.choice((0, rng.uniform(0, 2), rng.uniform(0, 6), rng.uniform(4, 24))) * scale
        way, turn = rng.random() * 6.283, rng.choice((0, 0, rng.uniform(-0.01, 0.01)))
        grow = rng.choice((0, 0, rng.uniform(-0.01, 0.01)))
        angle0 = rng.choice((0, 0, rng.uniform(-0.3, 0.3)))
        span = side * scale / 2 + speed * LENGTH / 2
        cx = rng.uniform(span, w - span) if w > 2 * span else w / 2
        cy = rng.uniform(span, h - span) if h > 2 * span else h / 2
        out = []
        for n in range(LENGTH):
            t = n - LENGTH // 2
            s, a = scale * (1 + grow * t), angle0 + turn * t
            x, y = cx + speed * t * np.cos(way), cy + speed * t * np.sin(way)
            ca, sa = s * np.cos(a), s * np.sin(a)
            half = (side - 1) / 2
            m = np.array([[ca, -sa, x - ca * half + sa * half], [sa, ca, y - sa * half - ca * half]], np.float32)
            out.append([cv2.warpAffine(l, m, (side, side), flags=cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP,
                                       borderMode=cv2.BORDER_REFLECT_101) for l in layers])
        return out

    world = rng.choice(stock)
    frames = [f[0] for f in path(world, [world])]
    if cutouts and rng.random() < 0.4:
        y, cover = rng.choice(cutouts)
        pad = side
        y = np.pad(y, pad, mode="edge")
        cover = np.pad(cover, pad)
        over = path(y, [y, cover])
        frames = [f + np.clip(c, 0, 1) * (o - f) for f, (o, c) in zip(frames, over)]
    gain = rng.choice((1, 1, 1, rng.uniform(0.25, 1)))  # some scenes are dark
    # Photographs hold noise of their own, which cannot be foretold: what is trained on clean ones alone sharpens it.
    sigma = rng.choice((0, rng.uniform(0.5, 2), rng.uniform(1, 4))) / 219
    source = np.random.default_rng(rng.getrandbits(32))
    noise = lambda f: source.standard_normal(f.shape).astype(np.float32) * sigma
    frames = [np.clip(f * gain + noise(f), 0, 1) for f in frames]
    return [photographed(f, quality) for f in frames] if (quality := rng.choice((0, 0, 0, rng.randint(75, 95)))) else frames


def photographed(frame: np.ndarray, quality: int) -> np.ndarray:
    """Through a JPEG file and back, as photographs and the pictures in clips often went."""
    _, data = cv2.imencode(".jpg", np.round(frame * 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, quality])
    return cv2.imdecode(data, cv2.IMREAD_GRAYSCALE).astype(np.float32) / 255


WAYS = ("area", "cubic", "lanczos", "gauss")  # of making a picture smaller


def shrink(rng: random.Random, frames: list[np.ndarray]) -> tuple[list[np.ndarray], str]:
    """To half the size by one of the ways that cameras, editors and generators do it; which one."""
    h, w = frames[0].shape[0] // 2, frames[0].shape[1] // 2
    # Mostly the sharp ways: trained on many soft ones as well, networks sharpen what needs none.
    way = rng.choice(("area",) * 5 + ("cubic",) * 3 + ("lanczos",) * 2 + ("gauss",) * (rng.random() < 0.3))
    if way == "area":
        return [cv2.resize(f, (w, h), interpolation=cv2.INTER_AREA) for f in frames], way
    if way == "gauss":
        sigma = rng.uniform(0.7, 0.9)
        return [cv2.resize(cv2.GaussianBlur(f, (0, 0), sigma), (w, h), interpolation=cv2.INTER_LINEAR) for f in frames], way
    from PIL import Image
    kernel = {"cubic": Image.BICUBIC, "lanczos": Image.LANCZOS}[way]
    return [np.clip(np.asarray(Image.fromarray(f).resize((w, h), kernel)), 0, 1) for f in frames], way


def encode(frames: list[np.ndarray], rng: random.Random, crf: float) -> list[np.ndarray]:
    """Luma codes through a real encoder and back."""
    h, w = frames[0].shape
    way = rng.random()
    h265, blocky = way < 0.25, way > 0.88  # MPEG-4 part 2 has no filter inside: its blocks stand bare
    buffer = io.BytesIO()
    with av.open(buffer, "w", format="mp4") as out:
        stream = out.add_stream("libx265" if h265 else "mpeg4" if blocky else "libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = w, h, "yuv420p"
        preset = rng.choice(("ultrafast", "fast") if h265 else ("veryfast", "fast", "medium", "medium"))
        stream.options = {"crf": f"{crf:.1f}", "preset": preset}
        if blocky:
            quantiser = str(round(min(31, max(1, 2 ** ((crf - 12) / 6)))))  # 2 at crf 18, 10 at 32, 20 at 38
            stream.options = {"qmin": quantiser, "qmax": quantiser}
        elif h265:
            stream.options["x265-params"] = "log-level=none:pools=1:frame-threads=1"
        else:
            stream.options["threads"] = "1"
        grey = np.full((h // 2, w), 128, np.uint8)
        for f in frames:
            for packet in stream.encode(av.VideoFrame.from_ndarray(np.vstack([f, grey]), format="yuv420p")):
                out.mux(packet)
        for packet in stream.encode():
            out.mux(packet)
    buffer.seek(0)
    with av.open(buffer) as back:
        return [f.to_ndarray()[:h].copy() for f in back.decode(video=0)]


def codes(frames: list[np.ndarray]) -> list[np.ndarray]:
    return [np.round(16 + 219 * f).clip(0, 255).astype(np.uint8) for f in frames]


def grain(rng: random.Random, frames: list[np.ndarray], sigma: float) -> list[np.ndarray]:
    """A sensor's noise, sigma in 8-bit steps at middle grey, more of it in the light."""
    source = np.random.default_rng(rng.getrandbits(32))
    blur = rng.choice((0, 0, 0.5, 0.8))  # often smoothed by the camera

    def one_frame(f):
        n = source.standard_normal(f.shape).astype(np.float32)
        if blur:
            n = cv2.GaussianBlur(n, (0, 0), blur)
            n /= n.std() + 1e-9
        return np.clip(f + n * (sigma / 219) * np.sqrt(0.4 + 1.2 * f), 0, 1)

    return [one_frame(f) for f in frames]


def damage(rng: random.Random, frames: list[np.ndarray], hard: float) -> tuple[list[np.ndarray], float, float]:
    """hard: the share of hard clips. Returns luma codes, the rate factor (0: not encoded) and noise sigma."""
    draw = rng.random()
    sigma, crfs = 0.0, []
    if draw < hard:
        if rng.random() < 0.6:
            frames = [cv2.GaussianBlur(f, (0, 0), s) for s in (rng.uniform(0.3, 1.0),) for f in frames]
        sigma = rng.choice((0, rng.uniform(1, 5), rng.uniform(2, 12)))
        crfs = [rng.uniform(25, 37)]
        if rng.random() < 0.3:
            crfs = rng.choice(([crfs[0], rng.uniform(18, 30)], [rng.uniform(18, 30), crfs[0]]))
    elif draw < hard + 0.4 * (1 - hard):
        sigma = rng.choice((0, 0, rng.uniform(0, 6)))
        crfs = [rng.uniform(14, 28)]
    elif draw < hard + 0.6 * (1 - hard):
        crfs = [rng.uniform(4, 18)]
    elif draw < hard + 0.7 * (1 - hard):
        sigma = rng.uniform(1, 12)
    if sigma > 0:
        frames = grain(rng, frames, sigma)
    seen = codes(frames)
    for crf in crfs:
        seen = encode(seen, rng, crf)
    return seen, max(crfs, default=0.0), sigma


def with_neighbours(seen: list[np.ndarray], at: int) -> np.ndarray:
    """uint8 [frames, h, w]: as a network sees frame `at`."""
    return np.stack([seen[at], *(align.onto(seen[at], seen[at + n]) for n in (-1, 1, -2, 2))])


def way_to(truth: np.ndarray, following: np.ndarray) -> np.ndarray:
    """float16 [h, w, 2]: flow between two frames of truth, luma codes; UNSEEN where what is there does not match."""
    finder = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    finder.setFinestScale(0)
    flow = finder.calc(truth, following, None)
    y, x = np.mgrid[:truth.shape[0], :truth.shape[1]].astype(np.float32)
    moved = cv2.remap(following, x + flow[..., 0], y + flow[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    unlike = cv2.blur(cv2.absdiff(truth, moved), (7, 7))
    return np.where((unlike > SEEN_ALIKE)[..., None], UNSEEN, flow).astype(np.float16)


FIELDS, FIELDS_NEXT = ("seen", "small", "truth", "level"), ("seen_next", "truth_next", "flow")


def one(rng: random.Random, stock: list, cutouts: list, hard: float, following: bool) -> tuple[np.ndarray, ...]:
    """A sequence's FIELDS, and FIELDS_NEXT where they are wanted."""
    frames = moving(rng, stock, cutouts, SIDE * 2)
    middle = LENGTH // 2
    clean, way = shrink(rng, frames)
    seen, crf, sigma = damage(rng, clean, hard)
    truth, after = codes(frames[middle:middle + 2])
    made = (with_neighbours(seen, middle), codes([clean[middle]])[0], truth, np.array([crf, sigma, WAYS.index(way)], np.float32))
    return (*made, with_neighbours(seen, middle + 1), after, way_to(truth, after)) if following else made


def write(path: pathlib.Path, made: list[tuple[np.ndarray, ...]]) -> None:
    np.savez(path, **{name: np.stack([m[i] for m in made]) for i, name in enumerate((*FIELDS, *FIELDS_NEXT)[:len(made[0])])})


def stock_for(kind: str, folder: pathlib.Path, rng: random.Random) -> tuple[list, list]:
    if kind != "drawn":
        loaded = [p for p in map(pictures.load, pictures.fetch(folder, pictures.PACKAGES)) if p]
        return pictures.worlds([y for y, c in loaded if c is None], rng), [p for p in loaded if p[1] is not None]
    painted = [p for p in map(pictures.load, pictures.fetch(folder, pictures.DRAWN_PACKAGES)) if p]
    drawn = [pictures.draw(rng, 1000) for _ in range(120)]
    return drawn + [y for y, c in painted if c is None][:40], [p for p in painted if p[1] is not None][:150]


def arguments(*kinds: str, following: bool = False) -> argparse.Namespace:
    """Of the command line: the kind (where there are several), the file to write, how many, seed, where packages lie; `following`:
    whether --next can be asked for."""
    a = argparse.ArgumentParser()
    if kinds:
        a.add_argument("kind", choices=kinds)
    a.add_argument("out", type=pathlib.Path)
    a.add_argument("count", type=int)
    a.add_argument("--seed", type=int, default=1)
    if following:
        a.add_argument("--next", action="store_true", help="the frame after each as well")
    a.add_argument("--packages", type=pathlib.Path, default=pathlib.Path("training-data/packages"))
    cv2.setNumThreads(1)
    return a.parse_args()


if __name__ == "__main__":
    o = arguments("general", "rough", "drawn", following=True)
    rng = random.Random(o.seed)
    stock, cutouts = stock_for(o.kind, o.packages, rng)
    print(len(stock), "pictures,", len(cutouts), "cut-outs", flush=True)
    hard = {"general": 0.25, "rough": 0.9, "drawn": 0.3}[o.kind]
    write(o.out, [one(rng, stock, cutouts, hard, o.next) for _ in range(o.count)])
