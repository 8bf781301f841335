// Precompiled for the window's room only; every file still includes what it needs.
#include <QtWidgets>
#include <algorithm>
#include <complex>
#include <memory>
#include <string>
#include <vector>
