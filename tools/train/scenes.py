"""Moving scenes that pictures in between are learned on: a photograph that pans, turns and grows, things that cross
before it at their own pace (stiff, bending, or turning like a pot), marks that stand still, light that changes; some of
them really encoded. `python3 scenes.py FOLDER COUNT --seed N` writes each as a movie without loss, NNNN.mkv, 4:2:0 of
FRAMES frames; `--large` in twice the size, where movement is searched for more coarsely.
"""
import math
import random
import sys

import av
import cv2
import numpy as np

import sequences

FRAMES = 9
SIDE = 480    # lines from which on movement is searched for at a quarter of the size; twice as many: at an eighth
LARGE = 1     # times SIDE
CODED = 0.6            # share of scenes that went through an encoder


def side() -> int:
    return SIDE * LARGE


def pace(rng: random.Random, most: float) -> tuple[float, float, float]:
    """Columns and rows a frame, and the share by which they grow from frame to frame."""
    speed, way = LARGE * most * rng.random() ** 2, rng.random() * 2 * math.pi
    return speed * math.cos(way), speed * math.sin(way), rng.choice((0, 0, rng.uniform(-0.08, 0.08)))


def travelled(move: tuple[float, float, float], t: float) -> tuple[float, float]:
    dx, dy, quicker = move
    far = t + 0.5 * quicker * t * abs(t)
    return dx * far, dy * far


class Ground:
    def __init__(self, rng: random.Random, stock: list):
        self.world = rng.choice(stock)
        h, w = self.world.shape
        self.scale = min(rng.choice((0.6, 0.8, 1, 1, 1.3, 1.6, 2.2)), min(h, w) / side() * 0.9)
        if self.scale > 1.05:
            self.world = cv2.GaussianBlur(self.world, (0, 0), 0.42 * self.scale)
        self.move = rng.choice(((0, 0, 0), pace(rng, 3), pace(rng, 8), pace(rng, 24)))
        self.turn, self.grow = rng.choice((0, 0, rng.uniform(-0.012, 0.012))), rng.choice((0, 0, rng.uniform(-0.012, 0.012)))
        self.at = rng.uniform(0.3, 0.7) * w, rng.uniform(0.3, 0.7) * h

    def draw(self, t: float) -> np.ndarray:
        s, a = self.scale * (1 + self.grow * t), self.turn * t
        x, y = (p + self.scale * m for p, m in zip(self.at, travelled(self.move, t)))
        c, d, half = s * math.cos(a), s * math.sin(a), (side() - 1) / 2
        m = np.array([[c, -d, x - c * half + d * half], [d, c, y - d * half - c * half]], np.float32)
        return cv2.warpAffine(self.world, m, (side(), side()), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
                              borderMode=cv2.BORDER_REFLECT_101)


class Thing:
    """A cut-out, or a piece of a photograph in a soft outline, on its way; it may bend as cloth and limbs do."""

    def __init__(self, rng: random.Random, stock: list, cutouts: list):
        self.size = LARGE * rng.choice((10, 20, 40, 80, 140, 220)) * rng.uniform(0.7, 1.4)
        if cutouts and rng.random() < 0.6:
            y, cover = rng.choice(cutouts)
        else:
            y = self.patch(rng, stock)
            grid = np.linspace(-1, 1, y.shape[0], dtype=np.float32)
            cover = np.clip(12 * (1 - grid[None, :] ** 2 - grid[:, None] ** 2), 0, 1)
        k = self.size / max(y.shape)
        shrink = lambda p: cv2.resize(p, None, fx=max(k, 4 / p.shape[1]), fy=max(k, 4 / p.shape[0]), interpolation=cv2.INTER_AREA)
        self.y, self.cover = shrink(y), shrink(cover)
        self.start = rng.uniform(0, side()), rng.uniform(0, side())
        self.move = pace(rng, rng.choice((2, 8, 16, 30)))
        self.turn = rng.choice((0, 0, rng.uniform(-0.06, 0.06)))
        self.bend = rng.choice((0, 0, rng.uniform(0, 0.12))) * self.size
        self.wave, self.beat = rng.uniform(1, 3), rng.uniform(0.1, 0.6)

    def patch(self, rng: random.Random, stock: list) -> np.ndarray:
        world, n = rng.choice(stock), int(2 * self.size) + 8
        y, x = (rng.randrange(max(1, s - n)) for s in world.shape)
        return world[y:y + n, x:x + n][:min(world.shape), :min(world.shape)]

    def lay(self, frame: np.ndarray, t: float) -> np.ndarray:
        x, y = (p + m for p, m in zip(self.start, travelled(self.move, t)))
        a, (h, w) = self.turn * t, self.y.shape
        rows, columns = np.mgrid[0:side(), 0:side()].astype(np.float32)
        columns, rows = columns - np.float32(x), rows - np.float32(y)
        u = math.cos(a) * columns + math.sin(a) * rows + w / 2
        v = math.cos(a) * rows - math.sin(a) * columns + h / 2
        if self.bend:
            u += (self.bend * np.sin(self.beat * t + self.wave * v / max(h, 1) * math.pi)).astype(np.float32)
        cover = cv2.remap(self.cover, u, v, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
        over = cv2.remap(self.y, u, v, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        return frame + np.clip(cover, 0, 1) * (over - frame)


class Pot:
    """A drum that turns: its pattern passes over a plain form, faster in the middle than at the sides."""

    def __init__(self, rng: random.Random, stock: list):
        self.x, self.y = rng.uniform(0.2, 0.8) * side(), rng.uniform(0.2, 0.8) * side()
        self.wide, self.high = LARGE * rng.uniform(30, 160), LARGE * rng.uniform(20, 140)
        self.spin = rng.uniform(-0.2, 0.2)
        n = int(2 * math.pi * self.wide)
        if rng.random() < 0.5:
            world = rng.choice(stock)
            y, x = (rng.randrange(max(1, s - 2 * n)) for s in world.shape)
            self.skin = cv2.resize(world[y:y + 2 * n, x:x + 2 * n], (n, int(2 * self.high)), interpolation=cv2.INTER_AREA)
        else:
            self.skin = np.full((int(2 * self.high), n), rng.uniform(0.2, 0.8), np.float32)
            for _ in range(rng.randint(20, 400)):
                cv2.circle(self.skin, (rng.randrange(n), rng.randrange(self.skin.shape[0])), LARGE * rng.choice((1, 1, 2, 3)),
                           rng.random(), -1, cv2.LINE_AA)

    def lay(self, frame: np.ndarray, t: float) -> np.ndarray:
        rows, columns = np.mgrid[0:side(), 0:side()].astype(np.float32)
        across, down = (columns - self.x) / self.wide, rows - self.y + self.high
        inside = (np.abs(across) < 1) & (down > 0) & (down < 2 * self.high)
        n = self.skin.shape[1]
        u = (np.arcsin(np.clip(across, -1, 1)) + self.spin * t) * self.wide % n
        skin = cv2.remap(self.skin, u.astype(np.float32), down.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
        return np.where(inside, skin * np.sqrt(1 - 0.6 * np.clip(across, -1, 1) ** 2), frame).astype(np.float32)


def scene(rng: random.Random, stock: list, cutouts: list) -> list[np.ndarray]:
    """FRAMES frames of side() × side(), luma 0 … 1."""
    ground = Ground(rng, stock)
    over = [Thing(rng, stock, cutouts) for _ in range(rng.choice((0, 1, 2, 4, 7)))]
    over += [Pot(rng, stock) for _ in range(rng.choice((0, 0, 1)))]
    rng.shuffle(over)
    mark = Thing(rng, stock, cutouts) if rng.random() < 0.2 else None
    if mark:
        mark.move, mark.turn, mark.bend = (0, 0, 0), 0, 0
    lighter = rng.choice((0, 0, 0, rng.uniform(-0.02, 0.02)))
    gain, sigma = rng.choice((1, 1, rng.uniform(0.3, 1))), rng.choice((0, 0, rng.uniform(0.2, 1.5))) / 219
    blur = rng.choice((0, 0, 0, rng.uniform(0.5, 1.2)))
    source = np.random.default_rng(rng.getrandbits(32))
    out = []
    for n in range(FRAMES):
        t = n - FRAMES // 2
        f = ground.draw(t)
        for o in over:
            f = o.lay(f, t)
        f = f * (gain * (1 + lighter * t))
        if mark:
            f = mark.lay(f, 0)
        if blur:
            f = cv2.GaussianBlur(f, (0, 0), blur)
        out.append(np.clip(f + source.standard_normal(f.shape).astype(np.float32) * sigma, 0, 1))
    return out


if __name__ == "__main__":
    LARGE = 2 if "--large" in sys.argv else 1
    sys.argv = [a for a in sys.argv if a != "--large"]
    o = sequences.arguments()
    o.out.mkdir(parents=True, exist_ok=True)
    rng = random.Random(o.seed)
    stock, cutouts = sequences.stock_for("general", o.packages, rng)
    for k in range(o.count):
        frames = sequences.codes(scene(rng, stock, cutouts))
        if rng.random() < CODED:
            frames = sequences.encode(frames, rng, rng.uniform(14, 30))
        grey = np.full((side() // 2, side()), 128, np.uint8)
        with av.open(str(o.out / f"{k:04d}.mkv"), "w") as movie:
            stream = movie.add_stream("ffv1", rate=25)
            stream.width, stream.height, stream.pix_fmt = side(), side(), "yuv420p"
            for f in frames:
                movie.mux(stream.encode(av.VideoFrame.from_ndarray(np.vstack([f, grey]), format="yuv420p")))
            movie.mux(stream.encode())
