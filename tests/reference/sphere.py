#!/usr/bin/python3
"""Reference for tests/acoustics/baffle: point source on a rigid sphere of 0.15 m, listener 2 m from its centre, level re
the source in an infinite baffle, by SciPy's spherical Bessel functions."""
import numpy as np
import scipy
from scipy.special import eval_legendre, spherical_jn, spherical_yn

a, r, c = 0.15, 2.0, 343.0
print("scipy", scipy.__version__)
for angle in (0, 2 * np.pi / 3):
    s = np.sqrt(r * r + a * a - 2 * a * r * np.cos(angle))
    levels = []
    for f in (20, 100, 300, 600, 1000, 2000, 4000):
        k = 2 * np.pi * f / c
        n = np.arange(0, int(1.5 * k * a) + 22)
        h = spherical_jn(n, k * r) - 1j * spherical_yn(n, k * r)
        slope = spherical_jn(n, k * a, True) - 1j * spherical_yn(n, k * a, True)
        terms = (2 * n + 1) * eval_legendre(n, np.cos(angle)) * h / slope
        p = -1j / (4 * np.pi * a * a) * terms[np.isfinite(terms)].sum()
        half = 1j * k / (2 * np.pi * s) * np.exp(-1j * k * s)
        levels.append(round(20 * np.log10(abs(p / half)), 4))
    print(levels)
