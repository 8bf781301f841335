#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "workbench/report/sections/report_sections.h"
#include "workbench/studies/wiggle_causes.h"

namespace lalometer::sections {

void put_impedance(ReportWriter& w, const SectionInput& in) {
  const ReportMaterial& m = in.material;
  w.begin("impedance", "Impedance");
  if (!m.box) {
    const bool other =
        std::any_of(m.preview.items.begin(), m.preview.items.end(), [](const ImportItem& item) {
          return item.curve && item.take.kind() == TakeKind::kImpedance;
        });
    w.missing(other
                  ? "The impedance in its box was not measured: what was taken is of free air, of "
                    "a test box or with a mass."
                  : "The impedance was not measured.");
    return w.end();
  }
  w.picture(
      {"impedance", report_lane(in.score, "impedance", in.score.impedance),
       fmt::format("At the terminals, {:.1f} °C.", m.box.value->take.conditions.temperature_c)});
  const Told& t = m.box.told;
  const auto minimum = w.state("box-impedance", t, "minimum_ohm");
  const auto at = w.state("box-impedance", t, "minimum_at_hz");
  const auto nominal = w.state("box-impedance", t, "nominal_ohm");
  if (minimum && at) {
    w.say("impedance.minimum",
          fmt::format("It falls to {} at {}{}.", *minimum, *at,
                      nominal ? ", which allows " + *nominal + " nominal (IEC 60268-5)" : ""));
    w.card("Lowest impedance", minimum, "at " + *at);
  }
  if (const auto epdr = w.state("box-impedance", t, "peak_dissipation_ohm"))
    w.say("impedance.load",
          fmt::format("As heat in the amplifier it counts like {} at {}.", *epdr,
                      w.state("box-impedance", t, "peak_dissipation_at_hz").value_or("its worst")));
  if (const auto fb = w.state("box-impedance", t, "fb_hz")) {
    const auto ql = w.state("box-impedance", t, "ql");
    w.say("impedance.tuning", fmt::format("Tuned to {} by the impedance{}.", *fb,
                                          ql ? ", losses of Q " + *ql : std::string()));
  } else if (const auto fc = w.state("box-impedance", t, "fc_hz")) {
    const auto q = w.state("box-impedance", t, "qtc");
    w.say("impedance.resonance",
          fmt::format("The box resonates at {}{}.", *fc, q ? " with Q " + *q : std::string()));
  }
  if (const auto re = w.state("box-impedance", t, "re_ohm"))
    w.say("impedance.re", fmt::format("Direct-current resistance {} by the fit.", *re));
  ReportTable loops{
      {"Loop at", "height", "cause"}, {}, "What the impedance shows beside its peaks."};
  for (const LaidTake& laid : in.score.laid)
    if (laid.take.id == in.score.impedance)
      for (const ExplainedWiggle& one : explained_loops(laid, in.score.laid))
        loops.rows.push_back({frequency_text(one.wiggle.frequency_hz.value),
                              fmt::format("{:.2f} Ω", one.wiggle.height_ohm), one.name});
  w.table(std::move(loops));
  w.end();
}

}  // namespace lalometer::sections
