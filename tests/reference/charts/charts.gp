# Charts for tests/desk/chart_test.cpp, drawn by gnuplot 5.4 (Debian gnuplot-nox): `gnuplot charts.gp` in this
# folder. The curve is level(f); its scales stand at the shares of the picture that `set *margin at screen` tells.
level(f) = 84.0 + 5.0 * sin(3.1 * log10(f)) - 7.0 * exp(-(log(f / 3200.0) / 0.09)**2) + 4.0 * exp(-(log(f / 900.0) / 0.2)**2) \
  - 12.0 * log10(1.0 + (60.0 / f)**4) - 10.0 * log10(1.0 + (f / 14000.0)**4)
ohm(f) = 6.0 + 30.0 / (1.0 + (4.0 * (f / 42.0 - 42.0 / f))**2) + 0.004 * f**0.95
other(f) = 79.0 + 3.0 * cos(5.0 * log10(f))
set lmargin at screen 0.1
set rmargin at screen 0.95
set bmargin at screen 0.12
set tmargin at screen 0.92
set logscale x
set xrange [20:20000]
set yrange [50:100]
set samples 4000
set grid xtics ytics mxtics lc rgb "#c8c8c8" lt 1 lw 0.7
set xlabel "Hz"
set ylabel "dB"
set xtics (20, 50, 100, 200, 500, "1k" 1000, "2k" 2000, "5k" 5000, "10k" 10000, "20k" 20000)
set terminal pngcairo size 900,600 enhanced
set output "blue.png"
plot level(x) with lines lw 2 lc rgb "#1f4fa0" title "on axis"
set terminal pngcairo size 640,420
set output "black.png"
set grid lc rgb "#000000" lt 1 lw 0.4
plot level(x) with lines lw 2 lc rgb "black" notitle
set grid lc rgb "#c8c8c8" lt 1 lw 0.7
set terminal pngcairo size 1200,700
set output "crossing.png"
plot other(x) with lines lw 3 lc rgb "#2a8a2a" title "30 degrees", level(x) with lines lw 3 lc rgb "#c03020" title "on axis"
set terminal jpeg size 800,560
set output "grey.jpg"
plot level(x) with lines lw 2 lc rgb "#303030" notitle
set terminal pngcairo size 900,600
set output "ohm.png"
set yrange [2:50]
set logscale y
set ylabel "ohm"
plot ohm(x) with lines lw 2 lc rgb "#803090" notitle
set terminal pdfcairo size 6in,4in
set output "sheet.pdf"
unset logscale y
set yrange [50:100]
plot level(x) with lines lw 2 lc rgb "#1f4fa0" notitle
# A dashed, a dotted and a dash-dotted line, each crossed by a plain one of another colour.
set terminal pngcairo size 900,600
set output "dashed.png"
plot other(x) with lines lw 2 lc rgb "#2a8a2a" title "30 degrees", level(x) with lines lw 2 dt 2 lc rgb "#c03020" title "on axis"
set output "dotted.png"
plot other(x) with lines lw 2 lc rgb "#2a8a2a" notitle, level(x) with lines lw 2.5 dt 3 lc rgb "#303030" notitle
set output "dashdot.png"
plot other(x) with lines lw 2 lc rgb "#2a8a2a" notitle, level(x) with lines lw 2 dt 4 lc rgb "#1f4fa0" notitle
# Dashed in the colour of the plain line that crosses it.
set output "alike.png"
plot other(x) with lines lw 2 lc rgb "black" notitle, level(x) with lines lw 2 dt 2 lc rgb "black" notitle
