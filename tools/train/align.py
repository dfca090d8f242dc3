"""Brings a neighbouring frame onto this one, as core/motion/aligned_stage.cpp does it: the two must stay alike."""
import cv2
import numpy as np

REACH = 48  # pixels; farther movement is not followed
TOLERANCE = 0.045  # of full luma: where the aligned neighbour differs more from this frame, this frame stands in


def flow_between(here: np.ndarray, there: np.ndarray) -> np.ndarray:
    """Dense inverse search flow (Kroeger et al. 2016) from `here` to `there`, 8-bit luma, pixels; found at half size."""
    h, w = here.shape
    half = lambda p: cv2.resize(p, ((w + 1) // 2, (h + 1) // 2), interpolation=cv2.INTER_AREA)
    flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    flow.setFinestScale(0)
    flow.setPatchStride(5)  # with these three a half of the preset's time, at nearly its accuracy
    flow.setGradientDescentIterations(12)
    flow.setVariationalRefinementIterations(3)
    return cv2.resize(flow.calc(half(here), half(there), None), (w, h), interpolation=cv2.INTER_LINEAR) * 2


def onto(here: np.ndarray, there: np.ndarray) -> np.ndarray:
    """`there` (uint8 luma codes) resampled along the flow; unlike places are filled from `here`, smoothly."""
    flow = flow_between(here, there)
    h, w = here.shape
    x, y = np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32))
    moved = cv2.remap(there.astype(np.float32), x + flow[..., 0], y + flow[..., 1], cv2.INTER_CUBIC,
                      borderMode=cv2.BORDER_REPLICATE)
    a = here.astype(np.float32)
    unlike = cv2.blur(np.abs(cv2.blur(moved - a, (3, 3))), (5, 5)) / 219
    trust = np.clip(2 - unlike / TOLERANCE, 0, 1)
    trust[(np.abs(flow) > REACH).any(axis=2)] = 0
    return np.round(a + trust * (moved - a)).clip(0, 255).astype(np.uint8)
