#!/usr/bin/env python3
"""Reference for tests/acoustics/directivity/waveguide_test.cpp: pressure of a spherical cap in the
plane of its mouth, as a sum over its surface. python3 waveguide.py (NumPy)."""
import numpy as np


def cap(kr, t0, angle, n=400):
    t = (np.arange(n) + 0.5) / n * t0
    p = (np.arange(n) + 0.5) / n * 2 * np.pi
    tt, pp = np.meshgrid(t, p, indexing="ij")
    x = kr * np.sin(tt) * np.cos(pp)
    z = kr * (np.cos(tt) - np.cos(t0))
    phase = np.exp(1j * (x * np.sin(angle) + z * np.cos(angle)))
    return np.sum(phase * np.sin(tt)) * (t0 / n) * (2 * np.pi / n) / (2 * np.pi * (1 - np.cos(t0)))


for kr, angle in ((3, 0.0), (10, 0.5), (30, 0.3), (30, 1.0)):
    print(kr, angle, cap(kr, 0.7, angle))
