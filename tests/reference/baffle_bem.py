#!/usr/bin/python3
"""Boundary-element reference for tests/acoustics/baffle: a rigid piston in the front of a rigid closed box, pressure at
a point over the pressure of the same piston in an infinite baffle. Run by hand: baffle_bem.py WIDTH HEIGHT DEPTH X Y
RADIUS DISTANCE ANGLE_DEG [F ...] [per=7] (metres from the front's lower left corner; angle to the right). NumPy, SciPy.

Collocation with constant rectangular elements of at most a seventh of a wavelength, direct formulation
p/2 = int (p dG/dn - G dp/dn), CHIEF points inside against irregular frequencies, mirror symmetry used where the piston sits in
the middle. `per` is the number of elements per wavelength: 5 and 6 at 10 kHz differ by what the reference is worth."""
import sys
import numpy as np
from scipy.linalg import solve

C = 343.0


def faces(w, h, d, size):
    """Centres, outward normals and sides of the elements of all six faces. Front at z = 0, toward +z."""
    n = lambda length: 2 * max(2, int(np.ceil(length / size / 2)))  # even, so that no element straddles the middle
    out = []
    def face(u, v, fixed, normal, place):
        nu, nv = n(u), n(v)
        a, b = np.meshgrid((np.arange(nu) + .5) * u / nu, (np.arange(nv) + .5) * v / nv, indexing="ij")
        for x, y in zip(a.ravel(), b.ravel()):
            out.append((*place(x, y, fixed), *normal, u / nu, v / nv))
    face(w, h, 0.0, (0, 0, 1), lambda x, y, f: (x, y, f))
    face(w, h, -d, (0, 0, -1), lambda x, y, f: (x, y, f))
    face(h, d, 0.0, (-1, 0, 0), lambda x, y, f: (f, x, y - d))
    face(h, d, w, (1, 0, 0), lambda x, y, f: (f, x, y - d))
    face(w, d, 0.0, (0, -1, 0), lambda x, y, f: (x, f, y - d))
    face(w, d, h, (0, 1, 0), lambda x, y, f: (x, f, y - d))
    return np.array(out)


def kernels(k, targets, centres, normals, sides, own):
    """G and dG/dn integrated over elements: centre value far off, 4 x 4 points near, closed form (of 1/r over a
    rectangle from its centre, 2 (a asinh(b/a) + b asinh(a/b))) for the own element."""
    r = targets[:, None, :] - centres[None, :, :]
    dist = np.linalg.norm(r, axis=2)
    area = sides[:, 0] * sides[:, 1]
    safe = np.where(dist < 1e-12, 1.0, dist)
    g = np.exp(-1j * k * safe) / (4 * np.pi * safe)
    dn = np.einsum("ijk,jk->ij", r, normals) / safe
    h = g * (1j * k + 1 / safe) * dn
    g, h = g * area, h * area
    near = np.argwhere((dist < 2.5 * sides.max(axis=1)[None, :]) & (dist > 1e-12))
    # Two directions in the plane of each element.
    t1 = np.where(np.abs(normals[:, [0]]) > .5, [[0, 1, 0]], [[1, 0, 0]])
    t2 = np.cross(normals, t1)
    # Which side belongs to which direction: faces() gives them in the order of the coordinates left.
    s1 = sides[:, 0].copy()
    s2 = sides[:, 1].copy()
    q, wt = np.polynomial.legendre.leggauss(4)
    for i, j in near:
        u = q[:, None] * s1[j] / 2
        v = q[None, :] * s2[j] / 2
        pts = centres[j] + u[..., None] * t1[j] + v[..., None] * t2[j]
        rr = targets[i] - pts
        dd = np.linalg.norm(rr, axis=-1)
        gg = np.exp(-1j * k * dd) / (4 * np.pi * dd)
        ww = np.outer(wt, wt) * s1[j] * s2[j] / 4
        g[i, j] = (gg * ww).sum()
        h[i, j] = (gg * (1j * k + 1 / dd) * (rr @ normals[j]) / dd * ww).sum()
    if own:
        # int 1/r over a rectangle a x b from its centre: 2 (a asinh(b/a) + b asinh(a/b)) / ... plus the -jk term.
        a, b = s1, s2
        inverse_r = 2 * (a * np.arcsinh(b / a) + b * np.arcsinh(a / b))
        i = np.arange(len(centres))
        g[i, i] = inverse_r / (4 * np.pi) - 1j * k * area / (4 * np.pi)
        h[i, i] = 0.0
    return g, h


def coverage(centres, sides, x, y, radius):
    s = (np.arange(12) + .5) / 12 - .5
    inside = 0
    for u in s:
        for v in s:
            inside = inside + (np.hypot(centres[:, 0] + u * sides[:, 0] - x, centres[:, 1] + v * sides[:, 1] - y) < radius)
    return inside / 144.0


def run(w, h, d, x, y, radius, distance, angle, frequencies, per_wave=7.0):
    for f in frequencies:
        k = 2 * np.pi * f / C
        el = faces(w, h, d, min(C / f / per_wave, 0.03, radius / 2 if radius > 0.02 else 0.03))
        centre, normal, side = el[:, :3], el[:, 3:6], el[:, 6:8]
        velocity = np.where((np.abs(centre[:, 2]) < 1e-12) & (normal[:, 2] > .5), coverage(centre, side, x, y, radius), 0.0)
        # Mirror images: left and right, and top and bottom, where the piston sits in the middle.
        use = np.ones(len(centre), bool)
        images = [(centre, normal)]
        for axis, place, size in ((0, x, w), (1, y, h)):
            if abs(place - size / 2) > 1e-9:
                continue
            use &= centre[:, axis] < size / 2
            turned = []
            for c, n in images:
                c, n = c.copy(), n.copy()
                c[:, axis] = size - c[:, axis]
                n[:, axis] *= -1
                turned.append((c, n))
            images += turned
        images = [(c[use], n[use]) for c, n in images]
        rng = np.random.default_rng(1)
        chief = np.array([w, h, d]) * rng.uniform(.2, .8, (14, 3)) - [0, 0, d]
        targets = np.vstack([centre[use], chief])
        m = int(use.sum())
        def pair(points):
            own = len(points) == m
            g1, h1 = kernels(k, points, *images[0], side[use], own)
            for image in images[1:]:
                g2, h2 = kernels(k, points, *image, side[use], False)
                g1 += g2
                h1 += h2
            return g1, h1
        ga, ha = pair(centre[use])
        gc, hc = pair(chief)
        rhs = -(np.vstack([ga, gc]) @ velocity[use])
        system = np.vstack([0.5 * np.eye(m) - ha, -hc])
        # Normal equations: the CHIEF rows are few and the system well conditioned.
        p = solve(system.conj().T @ system, system.conj().T @ rhs, assume_a="her")
        t = np.radians(angle)
        seen = np.array([[x + distance * np.sin(t), y, distance * np.cos(t)]])
        go, ho = pair(seen) if m != 1 else (None, None)
        value = (ho @ p - go @ velocity[use])[0]
        # The same piston in an infinite baffle: Rayleigh integral over the same elements.
        front = velocity > 0
        r = np.linalg.norm(seen - centre[front], axis=1)
        area = (side[:, 0] * side[:, 1])[front]
        half = -(np.exp(-1j * k * r) / (2 * np.pi * r) * velocity[front] * area).sum()
        ratio = value / half
        print(f"{f:8.1f} Hz  {20 * np.log10(abs(ratio)):8.3f} dB  {np.degrees(np.angle(ratio)):8.2f} deg  ({m} unknowns)", flush=True)


if __name__ == "__main__":
    per = [float(a[4:]) for a in sys.argv[1:] if a.startswith("per=")]
    v = [float(a) for a in sys.argv[1:] if not a.startswith("per=")]
    run(*v[:8], per_wave=per[0] if per else 7.0, frequencies=v[8:] or [50, 100, 200, 400, 600, 800, 1000, 1300, 1600, 2000, 2500, 3200])
