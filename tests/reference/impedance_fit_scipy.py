#!/usr/bin/env python3
"""Driver parameters of a noisy curve by SciPy's least_squares, for tests/acoustics/impedance/driver_fit_test.cpp.

The curve is made from a formula (a closed-form noise), so that the test can make the same one. Plain inductance,
relative residuals, equal weights, points up to 5 kHz: what the program's own fit does when told to use that coil alone.
Prints each parameter with the half-width of its 95 % interval by the usual linear theory (1.96 standard errors).
"""
import numpy as np
import scipy
from scipy.optimize import least_squares

RE, FS, QMS, QES, LE = 5.6, 38.0, 4.2, 0.41, 0.4e-3


def impedance(f, re, fs, qms, res, le):
    u = f / fs
    return re + 2j * np.pi * f * le + res / (1 + 1j * qms * (u - 1 / u))


i = np.arange(132)
f = 10.0 * 2.0 ** (i / 12.0)
a = np.sin(12.9898 * (i + 1)) * 43758.5453
b = np.sin(78.233 * (i + 1)) * 12543.123
noise = 2 * (a - np.floor(a)) - 1 + 1j * (2 * (b - np.floor(b)) - 1)
z = impedance(f, RE, FS, QMS, RE * QMS / QES, LE) * (1 + 0.01 * noise)
keep = f <= 5000.0
f, z = f[keep], z[keep]


def residual(t):
    r = (impedance(f, *np.exp(t)) - z) / np.abs(z)
    return np.concatenate([r.real, r.imag])


fit = least_squares(residual, np.log([5.0, 40.0, 3.0, 50.0, 0.3e-3]), method="lm", xtol=1e-14, ftol=1e-14)
n, p = 2 * len(f), 5
cov = np.linalg.inv(fit.jac.T @ fit.jac) * (fit.fun @ fit.fun) / (n - p)
re, fs, qms, res, le = np.exp(fit.x)


def told(name, value, gradient):
    g = np.array(gradient)
    print(f"{name} {value:.8g} +- {1.96 * value * np.sqrt(g @ cov @ g):.3g}")


print("scipy", scipy.__version__, "points", len(f))
told("re", re, [1, 0, 0, 0, 0])
told("fs", fs, [0, 1, 0, 0, 0])
told("qms", qms, [0, 0, 1, 0, 0])
told("qes", qms * re / res, [1, 0, 1, -1, 0])
told("le", le, [0, 0, 0, 0, 1])
