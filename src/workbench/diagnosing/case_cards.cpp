#include "workbench/diagnosing/case_cards.h"

#include <algorithm>

namespace lalometer {
namespace {

/// A cause without a place, as a card shows it.
Finding of_cause(const FindingCause& cause) {
  Finding f;
  f.causes = {cause};
  f.severity = cause.probability > 0.5 ? FindingSeverity::kAudible : FindingSeverity::kMinor;
  f.shown_by = cause.shown_by;
  f.variant = cause.variant;
  return f;
}

std::vector<CaseCard> as_found(const Diagnosis& d) {
  std::vector<CaseCard> cards;
  for (const Finding& f : d.findings)
    if (!f.causes.empty()) cards.push_back({f, place_of(f)});
  for (const FindingCause& c : d.overall) cards.push_back({of_cause(c), place_of(c)});
  return cards;
}

CaseCard* card_at(std::vector<CaseCard>& cards, const FindingPlace& place) {
  const auto found = std::find_if(cards.begin(), cards.end(),
                                  [&](const CaseCard& c) { return c.place.same(place); });
  return found == cards.end() ? nullptr : &*found;
}

template <class T>
void add_missing(std::vector<T>& to, const std::vector<T>& from) {
  for (const T& one : from)
    if (std::find(to.begin(), to.end(), one) == to.end()) to.push_back(one);
}

void most_probable_first(std::vector<FindingCause>& causes) {
  std::stable_sort(causes.begin(), causes.end(),
                   [](const auto& a, const auto& b) { return a.probability > b.probability; });
}

void absorb(Finding& into, const Finding& part) {
  if (part.frequency_hz > 0.0) {
    if (into.frequency_hz > 0.0) {
      into.low_hz = std::min(into.low_hz, part.low_hz);
      into.high_hz = std::max(into.high_hz, part.high_hz);
    }
    into.correctable_by_eq = into.correctable_by_eq && part.correctable_by_eq;
  }
  for (const FindingCause& cause : part.causes) {
    const auto known = std::find_if(into.causes.begin(), into.causes.end(),
                                    [&](const FindingCause& c) { return c.cause == cause.cause; });
    if (known == into.causes.end()) {
      into.causes.push_back(cause);
      continue;
    }
    known->probability = std::max(known->probability, cause.probability);
    add_missing(known->evidence, cause.evidence);
    add_missing(known->against, cause.against);
    known->told_by.insert(cause.told_by.begin(), cause.told_by.end());
  }
  most_probable_first(into.causes);
  into.severity = std::max(into.severity, part.severity);
  add_missing(into.shown_by, part.shown_by);
}

/// A cause of a finding as a finding of its own.
void split_off(std::vector<CaseCard>& cards, const FindingPlace& from, const std::string& word) {
  CaseCard* whole = card_at(cards, from);
  if (whole == nullptr || whole->finding.causes.size() < 2) return;
  auto& causes = whole->finding.causes;
  const auto found = std::find_if(causes.begin(), causes.end(),
                                  [&](const FindingCause& c) { return c.cause == word; });
  if (found == causes.end()) return;
  CaseCard own = *whole;
  own.finding.causes = {*found};
  own.place.split_off = word;
  own.merged.clear();
  causes.erase(found);
  cards.push_back(std::move(own));
}

}  // namespace

std::vector<CaseCard> case_cards(const Diagnosis& diagnosis, const CaseFile& file) {
  std::vector<CaseCard> cards = as_found(diagnosis);
  for (const CaseFile::Split& split : file.splits) split_off(cards, split.of, split.cause);
  for (const CaseFile::Merge& merge : file.merges) {
    CaseCard* part = card_at(cards, merge.part);
    CaseCard* into = card_at(cards, merge.into);
    if (part == nullptr || into == nullptr || part == into) continue;
    absorb(into->finding, part->finding);
    into->merged.push_back(part->place);
    into->merged.insert(into->merged.end(), part->merged.begin(), part->merged.end());
    cards.erase(cards.begin() + (part - cards.data()));
  }
  const auto weight = [](const CaseCard& c) {
    return c.finding.causes.front().probability * (1.0 + static_cast<double>(c.finding.severity));
  };
  std::stable_sort(cards.begin(), cards.end(),
                   [&](const CaseCard& a, const CaseCard& b) { return weight(a) > weight(b); });
  return cards;
}

}  // namespace lalometer
