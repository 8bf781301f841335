#!/usr/bin/python3
"""Boundary-element reference for round and chamfered front edges (tests/acoustics/baffle): as baffle_bem.py, a rigid piston
in the front of a rigid closed box, pressure over that of the same piston in an infinite baffle, but the surface is made of
planar four-cornered elements, so that the front's four edges can be bent like a moulding with mitred corners. Run by hand:
bent_edge_bem.py WIDTH HEIGHT DEPTH X Y RADIUS DISTANCE square|round|chamfer INSET F [F ...] [per=6] [facets=4]

INSET: how far the bend reaches into the front and into the sides (a round edge's radius; a 45 degree chamfer's legs).
Collocation with constant elements, CHIEF points inside; left-right mirror symmetry where the piston sits in the middle.
NumPy. With `square` it must give what baffle_bem.py gives: that is how to check it."""
import sys
import numpy as np

C = 343.0


def split(p, size):
    """A planar quad (4 corners, counter-clockwise from outside) cut into pieces of about `size`."""
    a = max(np.linalg.norm(p[1] - p[0]), np.linalg.norm(p[2] - p[3]))
    b = max(np.linalg.norm(p[3] - p[0]), np.linalg.norm(p[2] - p[1]))
    na, nb = max(1, int(np.ceil(a / size - 1e-9))), max(1, int(np.ceil(b / size - 1e-9)))
    def at(u, v):
        return (1 - u) * (1 - v) * p[0] + u * (1 - v) * p[1] + u * v * p[2] + (1 - u) * v * p[3]
    return [np.array([at(i / na, j / nb), at((i + 1) / na, j / nb), at((i + 1) / na, (j + 1) / nb), at(i / na, (j + 1) / nb)])
            for i in range(na) for j in range(nb)]


def surface(w, h, d, shape, inset, size, facets, middle):
    """Quads of the whole box; the front is at z = 0. Cut at x = w/2 where it is to be mirrored."""
    if shape == "square":
        profile = [(0.0, 0.0)]
    elif shape == "chamfer":
        profile = [(inset, 0.0), (0.0, -inset)]
    else:
        t = np.linspace(0, np.pi / 2, facets + 1)
        profile = [(inset * (1 - np.sin(a)), -inset * (1 - np.cos(a))) for a in t]
    rings = [np.array([[i, i, z], [w - i, i, z], [w - i, h - i, z], [i, h - i, z]]) for i, z in profile]
    rings.append(np.array([[0, 0, -d], [w, 0, -d], [w, h, -d], [0, h, -d]], float))
    big = [rings[0], rings[-1][[0, 3, 2, 1]]]
    for upper, lower in zip(rings, rings[1:]):
        for s in range(4):
            t = (s + 1) % 4
            big.append(np.array([lower[s], lower[t], upper[t], upper[s]]))
    out = []
    for quad in big:
        quad = np.asarray(quad, float)
        if middle and quad[:, 0].min() < w / 2 - 1e-9 and quad[:, 0].max() > w / 2 + 1e-9:
            # Keep the left half: move the right corners to the middle (along edges parallel to x).
            quad = quad.copy()
            quad[:, 0] = np.minimum(quad[:, 0], w / 2)
        elif middle and quad[:, 0].min() >= w / 2 - 1e-9:
            continue
        out += split(quad, size)
    q = np.array(out)
    n = np.cross(q[:, 2] - q[:, 0], q[:, 3] - q[:, 1])
    area = np.linalg.norm(n, axis=1) / 2
    n = n / (2 * area[:, None])
    return q, q.mean(axis=1), n, area


def own_inverse_r(q, c):
    """int 1/r over a planar polygon from a point of it: sum over sides of h (asinh(t2/h) - asinh(t1/h))."""
    total = 0.0
    for s in range(4):
        a, b = q[s] - c, q[(s + 1) % 4] - c
        along = (b - a) / np.linalg.norm(b - a)
        t1, t2 = a @ along, b @ along
        hgt = np.linalg.norm(a - t1 * along)
        total += hgt * (np.arcsinh(t2 / hgt) - np.arcsinh(t1 / hgt))
    return total


GQ, GW = np.polynomial.legendre.leggauss(4)


def kernels(k, targets, q, centres, normals, area, own):
    r = targets[:, None, :] - centres[None, :, :]
    dist = np.linalg.norm(r, axis=2)
    safe = np.where(dist < 1e-12, 1.0, dist)
    g = np.exp(-1j * k * safe) / (4 * np.pi * safe)
    h = g * (1j * k + 1 / safe) * np.einsum("ijk,jk->ij", r, normals) / safe
    g, h = g * area, h * area
    extent = np.linalg.norm(q - centres[:, None, :], axis=2).max(axis=1)
    near = (dist < 4 * extent[None, :]) & (dist > 1e-12)
    for j in np.flatnonzero(near.any(axis=0)):
        i = np.flatnonzero(near[:, j])
        gs, hs = 0.0, 0.0
        p = q[j]
        for u, wu in zip((GQ + 1) / 2, GW / 2):
            for v, wv in zip((GQ + 1) / 2, GW / 2):
                pt = (1-u)*(1-v)*p[0] + u*(1-v)*p[1] + u*v*p[2] + (1-u)*v*p[3]
                du = (1-v)*(p[1]-p[0]) + v*(p[2]-p[3])
                dv = (1-u)*(p[3]-p[0]) + u*(p[2]-p[1])
                jac = np.linalg.norm(np.cross(du, dv)) * wu * wv
                rr = targets[i] - pt
                dd = np.linalg.norm(rr, axis=1)
                gg = np.exp(-1j * k * dd) / (4 * np.pi * dd) * jac
                gs = gs + gg
                hs = hs + gg * (1j * k + 1 / dd) * (rr @ normals[j]) / dd
        g[i, j], h[i, j] = gs, hs
    if own:
        for j in range(len(centres)):
            g[j, j] = own_inverse_r(q[j], centres[j]) / (4 * np.pi) - 1j * k * area[j] / (4 * np.pi)
            h[j, j] = 0.0
    return g, h


def coverage(q, x, y, radius):
    s = (np.arange(12) + .5) / 12
    inside = 0
    for u in s:
        for v in s:
            p = (1-u)*(1-v)*q[:, 0] + u*(1-v)*q[:, 1] + u*v*q[:, 2] + (1-u)*v*q[:, 3]
            inside = inside + (np.hypot(p[:, 0] - x, p[:, 1] - y) < radius)
    return inside / 144.0


def run(w, h, d, x, y, radius, distance, shape, inset, frequencies, per, facets):
    middle = abs(x - w / 2) < 1e-9
    for f in frequencies:
        k = 2 * np.pi * f / C
        q, centre, normal, area = surface(w, h, d, shape, inset, min(C / f / per, 0.03), facets, middle)
        front = (np.abs(centre[:, 2]) < 1e-12) & (normal[:, 2] > .5)
        velocity = np.where(front, coverage(q, x, y, radius), 0.0)
        images = [(q, centre, normal)]
        if middle:
            turn = lambda a: np.concatenate([w - a[..., :1], a[..., 1:]], axis=-1)
            flipped = normal.copy()
            flipped[:, 0] *= -1
            images.append((turn(q), turn(centre), flipped))
        rng = np.random.default_rng(1)
        chief = np.array([w, h, d]) * rng.uniform(.25, .75, (14, 3)) - [0, 0, d]
        def pair(points, own):
            g, hh = kernels(k, points, *images[0], area, own)
            for image in images[1:]:
                g2, h2 = kernels(k, points, *image, area, False)
                g, hh = g + g2, hh + h2
            return g, hh
        ga, ha = pair(centre, True)
        gc, hc = pair(chief, False)
        m = len(centre)
        rhs = -(np.vstack([ga, gc]) @ velocity)
        system = np.vstack([0.5 * np.eye(m) - ha, -hc])
        p = np.linalg.solve(system.conj().T @ system, system.conj().T @ rhs)
        seen = np.array([[x, y, distance]])
        go, ho = pair(seen, False)
        value = (ho @ p - go @ velocity)[0]
        half = 0.0
        for image in images:
            r = np.linalg.norm(seen - image[1], axis=1)
            half += -(np.exp(-1j * k * r) / (2 * np.pi * r) * velocity * area).sum()
        ratio = value / half
        print(f"{f:8.1f} Hz  {20 * np.log10(abs(ratio)):8.3f} dB  {np.degrees(np.angle(ratio)):8.2f} deg  ({m} unknowns)", flush=True)


if __name__ == "__main__":
    options = dict(a.split("=") for a in sys.argv[1:] if "=" in a)
    v = [a for a in sys.argv[1:] if "=" not in a]
    run(*map(float, v[:7]), v[7], float(v[8]), [float(a) for a in v[9:]], float(options.get("per", 6)), int(options.get("facets", 4)))
