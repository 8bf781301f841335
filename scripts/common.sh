# Shared by scripts/demo and scripts/test: what to install, how to configure and build.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."

packages=(
  g++ cmake ninja-build ccache git pkg-config
  qt6-base-dev libgl-dev libssl-dev libpoppler-qt6-dev
  libcairo2-dev libpango1.0-dev librsvg2-dev fonts-lato qpdf poppler-utils tidy
  libfftw3-dev libeigen3-dev libsqlite3-dev libsqlitecpp-dev libsndfile1-dev libnetcdf-dev
  portaudio19-dev libjack-jackd2-dev libasound2-dev libserialport-dev
  nlohmann-json3-dev libcli11-dev libfmt-dev libspdlog-dev libexpected-dev
  libgtest-dev libgmock-dev libbenchmark-dev
)

install=yes
for argument in "$@"; do
  case "$argument" in
    --no-install) install=no ;;
    *) echo "usage: $0 [--no-install]" >&2; exit 2 ;;
  esac
done

install_packages() {
  [ "$install" = yes ] || return 0
  local missing=()
  local state
  # One dpkg query for all: a second run must start quickly.
  state=$(dpkg-query -W -f '${db:Status-Abbrev} ${Package}\n' "${packages[@]}" 2>/dev/null || true)
  for package in "${packages[@]}"; do
    grep -q "^ii  *$package\$" <<<"$state" || missing+=("$package")
  done
  [ "${#missing[@]}" -gt 0 ] || return 0
  echo "Installing from Debian: ${missing[*]}"
  local as_root=()
  [ "$(id -u)" = 0 ] || as_root=(sudo)
  "${as_root[@]}" apt-get -o DPkg::Lock::Timeout=300 update
  DEBIAN_FRONTEND=noninteractive "${as_root[@]}" apt-get -o DPkg::Lock::Timeout=300 install -y \
    --no-install-recommends "${missing[@]}"
}

# build PRESET [TARGET...]
build() {
  local preset=$1
  shift
  local flags=()
  command -v ccache >/dev/null && flags+=(-DCMAKE_CXX_COMPILER_LAUNCHER=ccache)
  # Benchmarks are not run there, so they need not be built.
  [ -z "${CI:-}" ] || flags+=(-DLALOMETER_BENCHMARKS=OFF)
  [ -f "build/$preset/build.ninja" ] || cmake --preset "$preset" "${flags[@]}"
  local targets=()
  [ "$#" = 0 ] || targets=(--target "$@")
  cmake --build --preset "$preset" "${targets[@]}"
}
