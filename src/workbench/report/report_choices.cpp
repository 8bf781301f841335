#include <algorithm>

#include "workbench/report/report_making.h"

namespace lalometer {
namespace {

bool named(const std::vector<std::string>& ids, const std::string& id) {
  return std::find(ids.begin(), ids.end(), id) != ids.end();
}

/// Sections as the user ordered them; those that are not named keep their places behind.
void arrange(std::vector<ReportSection>& all, const std::vector<std::string>& order) {
  const auto place = [&](const ReportSection& s) {
    return std::find(order.begin(), order.end(), s.id) - order.begin();
  };
  // The conditions are the appendix.
  std::stable_sort(all.begin(), all.end(), [&](const ReportSection& a, const ReportSection& b) {
    const bool last_a = a.id == "conditions", last_b = b.id == "conditions";
    if (last_a != last_b) return last_b;
    return place(a) < place(b);
  });
}

}  // namespace

Report report_chosen(const Report& made, const ReportWish& wish) {
  Report r = made;
  r.verdict = wish.verdict;
  const auto out = [&](const std::string& section) { return named(wish.left_out, section); };
  std::erase_if(r.sections, [&](const ReportSection& s) { return out(s.id); });
  std::erase_if(r.figures, [&](const StatedFigure& f) { return out(f.section); });
  std::erase_if(r.cards, [&](const ReportCard& c) { return out(c.section); });
  if (out("case")) r.highlights.clear();
  for (ReportSection& s : r.sections)
    for (ReportBlock& block : s.blocks)
      if (auto* sentence = std::get_if<ReportSentence>(&block))
        for (const ReportWish::Edit& edit : wish.edits)
          if (edit.key == sentence->key) {
            sentence->own = edit.words;
            sentence->outdated = edit.of != sentence->text;
          }
  arrange(r.sections, wish.order);
  return r;
}

}  // namespace lalometer
