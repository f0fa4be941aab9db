"""Compiled: faces and strokes in a relief, before its ground or behind it."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.read.index_kernels import JIT
from brisk_atlas.core.system.compiled import njit

from .cast_kernels import INLINE

NEAR = 1e-3  # of the reach: what is closer to the eye is cut off
AHEAD = 0.003  # of its distance, by which a stroke lies before the ground that it lies on
SOFT = 0.4  # of a face's colour, whatever its light
SMALLEST = 1e-12  # of a determinant: a face that is seen from its edge


@njit(**INLINE)
def _in_eye(eye, x, y, z):
    """Return a point as the eye sees it: to the right and up, in halves of the picture at the distance 1, and deep."""
    dx, dy = x - eye.x, y - eye.y
    dz = z * eye.exaggeration - eye.z - eye.bend * (dx * dx + dy * dy)
    deep = dx * eye.ahead[0] + dy * eye.ahead[1] + dz * eye.ahead[2]
    right = (dx * eye.right[0] + dy * eye.right[1] + dz * eye.right[2]) / eye.tan_x
    up = (dx * eye.up[0] + dy * eye.up[1] + dz * eye.up[2]) / eye.tan_y
    return right, up, deep


@njit(**INLINE)
def _light_on(eye, a, b, c, lights, ambience, ax, ay, az):
    """Return how bright a face is, by Lambert's cosine law, on the side that the eye sees; paler than ground would be,
    as upright faces get little of a high light."""
    e = eye.exaggeration
    ux, uy, uz = b[0] - a[0], b[1] - a[1], (b[2] - a[2]) * e
    vx, vy, vz = c[0] - a[0], c[1] - a[1], (c[2] - a[2]) * e
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    size = np.sqrt(nx * nx + ny * ny + nz * nz)
    if size <= 0.0:
        return ambience
    if nx * (eye.x - ax) + ny * (eye.y - ay) + nz * (eye.z - az * e) < 0.0:
        size = -size
    found = ambience
    for k in range(lights.shape[0]):
        cosine = (nx * lights[k, 0] + ny * lights[k, 1] + nz * lights[k, 2]) / size
        if cosine > 0.0:
            found += lights[k, 3] * cosine
    return SOFT + (1.0 - SOFT) * found


@njit(**INLINE)
def _lay(pixels, row, col, ink, light, clear, look):
    """Lay an ink into a pixel, lit, and faded as far as the air is not clear."""
    veil, light = 1.0 - clear, light * clear
    red = min((ink & 255) * light + look.horizon[0] * veil, 255.0)
    green = min(((ink >> 8) & 255) * light + look.horizon[1] * veil, 255.0)
    blue = min(((ink >> 16) & 255) * light + look.horizon[2] * veil, 255.0)
    pixels[row, col] = np.uint32(red) | (np.uint32(green) << 8) | (np.uint32(blue) << 16) | np.uint32(0xFF000000)


@njit(**JIT)
def draw_faces(bodies, lights, ambience, look, eye, depth, pixels, nearest, top, bottom):
    """Draw faces into the rows `top` to `bottom`, those in front over those behind and over the ground.

    lights : (n, 4) unit vector towards each light and its strength. depth : (rows, cols) float32 metres along the ray
    of what is there so far; pixels : (rows, cols) uint32; nearest : (rows, cols) int32, the row that is seen.
    Source: Olano, M. and Greer, T. (1997), "Triangle scan conversion using 2D homogeneous coordinates", Proc. Graphics
    Hardware, 89-95: edges are planes through the eye, so that nothing has to be cut where it passes it.
    """
    rows, cols = depth.shape
    near = NEAR * NEAR * eye.reach
    for n in range(bodies.corners.shape[0]):
        a, b, c = bodies.corners[n, 0], bodies.corners[n, 1], bodies.corners[n, 2]
        ax, ay, aw = _in_eye(eye, a[0], a[1], a[2])
        bx, by, bw = _in_eye(eye, b[0], b[1], b[2])
        cx, cy, cw = _in_eye(eye, c[0], c[1], c[2])
        if aw <= near and bw <= near and cw <= near:
            continue
        left, right, first, last = 0, cols, top, bottom
        if aw > near and bw > near and cw > near:
            px, qx, rx = ax / aw, bx / bw, cx / cw
            py, qy, ry = ay / aw, by / bw, cy / cw
            low_x, high_x = min(px, min(qx, rx)), max(px, max(qx, rx))
            low_y, high_y = min(py, min(qy, ry)), max(py, max(qy, ry))
            if high_x < -1.0 or low_x > 1.0 or high_y < -1.0 or low_y > 1.0:
                continue
            left = max(0, int(0.5 * cols * (1.0 + max(low_x, -1.0))))
            right = min(cols, int(0.5 * cols * (1.0 + min(high_x, 1.0))) + 1)
            first = max(top, int(0.5 * rows * (1.0 - min(high_y, 1.0))))
            last = min(bottom, int(0.5 * rows * (1.0 - max(low_y, -1.0))) + 1)
            if first >= last or left >= right:
                continue
        ea0, ea1, ea2 = by * cw - bw * cy, bw * cx - bx * cw, bx * cy - by * cx
        eb0, eb1, eb2 = cy * aw - cw * ay, cw * ax - cx * aw, cx * ay - cy * ax
        ec0, ec1, ec2 = ay * bw - aw * by, aw * bx - ax * bw, ax * by - ay * bx
        det = ax * ea0 + ay * ea1 + aw * ea2
        if abs(det) <= SMALLEST * max(aw * aw, 1.0):
            continue
        light = _light_on(eye, a, b, c, lights, ambience, a[0], a[1], a[2])
        ink, owner = bodies.face_inks[n], bodies.face_rows[n]
        for row in range(first, last):
            py = 1.0 - 2.0 * (row + 0.5) / rows
            for col in range(left, right):
                px = 2.0 * (col + 0.5) / cols - 1.0
                u = (ea0 * px + ea1 * py + ea2) / det
                v = (eb0 * px + eb1 * py + eb2) / det
                w = (ec0 * px + ec1 * py + ec2) / det
                if u < 0.0 or v < 0.0 or w < 0.0:
                    continue
                inverse = u + v + w
                if inverse <= 0.0 or inverse * near > 1.0:
                    continue
                far = np.sqrt(1.0 + (px * eye.tan_x) ** 2 + (py * eye.tan_y) ** 2) / inverse
                if far < depth[row, col]:
                    depth[row, col] = np.float32(far)
                    nearest[row, col] = owner
                    clear = np.exp(-far * look.haze) if look.haze > 0.0 else 1.0
                    _lay(pixels, row, col, ink, light, clear, look)


@njit(**JIT)
def draw_strokes(bodies, wider, look, eye, depth, pixels, nearest, top, bottom):
    """Draw strokes into the rows `top` to `bottom`, as `draw_faces` does; `wider` times as wide as at rest."""
    rows, cols = depth.shape
    near = NEAR * NEAR * eye.reach
    for n in range(bodies.ends.shape[0]):
        a, b = bodies.ends[n, 0], bodies.ends[n, 1]
        ax, ay, aw = _in_eye(eye, a[0], a[1], a[2])
        bx, by, bw = _in_eye(eye, b[0], b[1], b[2])
        if not (aw > near or bw > near):  # numbers that are none, too
            continue
        if aw <= near:
            s = (near - aw) / (bw - aw)
            ax, ay, aw = ax + s * (bx - ax), ay + s * (by - ay), near
        if bw <= near:
            s = (near - bw) / (aw - bw)
            bx, by, bw = bx + s * (ax - bx), by + s * (ay - by), near
        c0, r0 = 0.5 * cols * (1.0 + ax / aw), 0.5 * rows * (1.0 - ay / aw)
        c1, r1 = 0.5 * cols * (1.0 + bx / bw), 0.5 * rows * (1.0 - by / bw)
        half = max(0.5 * bodies.widths[n] * wider, 0.5)
        low, high = 0.0, 1.0  # of the stroke, that lies in these rows and in the picture
        for axis in range(2):
            begin, end = (r0, r1) if axis == 0 else (c0, c1)
            floor = top - half if axis == 0 else -half
            roof = bottom + half if axis == 0 else cols + half
            run = end - begin
            if abs(run) < 1e-9:
                if begin < floor or begin > roof:
                    high = -1.0
            else:
                s, t = (floor - begin) / run, (roof - begin) / run
                low, high = max(low, min(s, t)), min(high, max(s, t))
        if not low <= high:
            continue
        steps = int(max(abs(c1 - c0), abs(r1 - r0)) * (high - low)) + 1
        ink, owner = bodies.stroke_inks[n], bodies.stroke_rows[n]
        reach = int(half + 0.5)
        for k in range(steps + 1):
            s = low + (high - low) * k / steps
            c, r = c0 + s * (c1 - c0), r0 + s * (r1 - r0)
            deep = 1.0 / ((1.0 - s) / aw + s / bw)
            px, py = (2.0 * c / cols - 1.0) * eye.tan_x, (1.0 - 2.0 * r / rows) * eye.tan_y
            far = deep * np.sqrt(1.0 + px * px + py * py) * (1.0 - AHEAD)
            clear = np.exp(-far * look.haze) if look.haze > 0.0 else 1.0
            row, col = int(np.floor(r)), int(np.floor(c))
            for j in range(max(row - reach, top), min(row + reach + 1, bottom)):
                for i in range(max(col - reach, 0), min(col + reach + 1, cols)):
                    off = (i + 0.5 - c) ** 2 + (j + 0.5 - r) ** 2
                    if off <= max(half * half, 0.5) and far < depth[j, i]:
                        depth[j, i] = np.float32(far)
                        nearest[j, i] = owner
                        _lay(pixels, j, i, ink, 1.0, clear, look)


@njit(**JIT)
def see_through(depth, image, behind_depth, behind, solid, top, bottom):
    """Have the ground let through what lies behind it, in the rows `top` to `bottom`.

    depth, image : (rows, cols) float32 and (rows, cols, 4) uint8 of the ground; behind_depth, behind : the same of what
    stands in the relief as if there were no ground. solid : how much the ground hides, 0 to 1.
    """
    through = 1.0 - solid
    for row in range(top, bottom):
        for col in range(depth.shape[1]):
            if depth[row, col] < np.inf and behind_depth[row, col] >= depth[row, col]:
                for k in range(3):
                    image[row, col, k] = np.uint8(image[row, col, k] * solid + behind[row, col, k] * through)
