// Curves that are worked out of other takes of a book.
#include "workbench/bass/worked.h"

#include <gmock/gmock.h>

#include "exchange/curve_file.h"
#include "support/books.h"
#include "support/small_box.h"
#include "workbench/sharing/exporting.h"
#include "workbench/sharing/sources.h"

namespace lalometer {
namespace {

using namespace test::small_box;
using testing::HasSubstr;

/// Woofer, port and a far field that stands 0.8 dB above what they make in a wall, in a book.
class Worked : public ::testing::Test {
 protected:
  void SetUp() override {
    const Box b;
    write_near(folder_, b, 0.0);  // without a cabinet nothing of others can be taken out
    json set = set_of(b);
    set["subject"].erase("baffle");
    std::vector<double> hz;
    for (double f = 150.0; f < 5000.0; f *= std::exp2(1.0 / 48.0)) hz.push_back(f);
    test::write(folder_ / "h0.frd", rows(hz, [&](double f) {
                  return half_space(b, f) * std::pow(10.0, 0.8 / 20.0) / 2.0;
                }));
    set["takes"].push_back({{"id", "h0"},
                            {"kind", "response"},
                            {"file", "h0.frd"},
                            {"distance_m", 2.0},
                            {"gate_ms", 5.0}});
    test::write(folder_ / "set.json", set.dump());
    book_.emplace(*Book::create(folder_ / "book.lalo"));
    ASSERT_TRUE(take_in(*book_, preview_import({folder_.path()}, {}), {}));
  }
  Id add(const std::string& how, std::vector<Take> of) {
    const auto made = worked_take(how, of);
    EXPECT_TRUE(made) << (made ? "" : made.error().text());
    return made ? *book_->add_take(*made, {.bytes = {std::byte{'j'}}, .file_name = {}}) : 0;
  }
  std::vector<Take> takes() { return *book_->takes(); }
  Result<Analysis> analysis(Id id) {
    const auto in = inputs_from(*book_, *book_->take(id));
    if (!in) return tl::unexpected(in.error());
    ResultStore store(1U << 26U);
    return store.get(curve_node(*in), Making{store, {}}).map([](const auto& a) { return *a; });
  }
  test::TemporaryFolder folder_;
  std::optional<Book> book_;
};

TEST_F(Worked, AJoinIsACurveOfItsOwnAndFollowsItsPlace) {
  const std::vector<Take> all = takes();
  const Id id = add("join", all);
  const auto joined = analysis(id);
  ASSERT_TRUE(joined) << joined.error().text();
  ASSERT_TRUE(joined->joined && joined->near);
  EXPECT_NEAR(joined->joined->level_offset_db, 0.8, 0.1);
  EXPECT_LT(joined->joined->phase_misfit_deg.value_or(90.0), 10.0);
  const Box b;
  for (const double f : {20.0, 50.0, 200.0, 1000.0})
    EXPECT_NEAR(to_level_db(std::abs(value_at(joined->curve, f)), kReferencePressure_pa),
                level(half_space(b, f)) + 0.8, 0.3)
        << f;
  // Moved by hand: one step of undo, another key, another place.
  Conditions moved = book_->take(id)->conditions;
  moved.worked.at_hz = 420.0;
  const auto before = curve_node(*inputs_from(*book_, *book_->take(id))).key;
  ASSERT_TRUE(book_->set_conditions(id, moved, "Move the join"));
  EXPECT_NE(curve_node(*inputs_from(*book_, *book_->take(id))).key, before);
  EXPECT_NEAR(analysis(id)->joined->joined_at_hz, 420.0, 1e-9);
  ASSERT_TRUE(book_->undo());
  EXPECT_EQ(curve_node(*inputs_from(*book_, *book_->take(id))).key, before);
}

TEST_F(Worked, SaysWhenATakeItNeedsIsGone) {
  const std::vector<Take> all = takes();
  const Id id = add("join", all);
  ASSERT_TRUE(book_->remove_take(all.front().id));
  const auto joined = analysis(id);
  ASSERT_FALSE(joined);
  EXPECT_THAT(joined.error().text(), HasSubstr("not in the book any more"));
  // The rest of the subject still goes out, without it.
  ASSERT_TRUE(export_subject(*book_, all.front().subject_id, folder_ / "out"));
}

TEST_F(Worked, IsRefusedOfTakesThatMakeNone) {
  const std::vector<Take> all = takes();
  EXPECT_FALSE(worked_take("join", {all[0]}));
  EXPECT_FALSE(worked_take("power-mean", {all[0]}));
  std::vector<Take> mixed = all;
  mixed[0].variant_id += 1;
  const auto other = worked_take("join", mixed);
  ASSERT_FALSE(other);
  EXPECT_THAT(other.error().text(), HasSubstr("not all of one variant"));
}

TEST_F(Worked, NearFieldsAloneMakeACurveAtAMetre) {
  std::vector<Take> near;
  for (const Take& t : takes())
    if (t.kind() == TakeKind::kNearField) near.push_back(t);
  const auto sum = analysis(add("near-sum", near));
  ASSERT_TRUE(sum) << sum.error().text();
  EXPECT_NEAR(to_level_db(std::abs(value_at(sum->curve, 60.0)), kReferencePressure_pa),
              level(half_space(Box{}, 60.0)), 0.3);
  EXPECT_FALSE(sum->curve.valid().contains(2000.0)) << "valid to ka = 1 only";
}

TEST_F(Worked, MeansBringTakesToTheFirstOnesPlace) {
  std::vector<Take> far;
  for (const Take& t : takes())
    if (t.kind() == TakeKind::kResponse) far.push_back(t);
  Take nearer = far.front();
  nearer.setup = FarFieldSetup{};
  nearer.name = "as if at 1 m";
  const auto raw = book_->raw(nearer.raw_hash);
  ASSERT_TRUE(raw);
  const auto second = book_->add_take(nearer, {.bytes = *raw, .file_name = nearer.raw_name});
  ASSERT_TRUE(second);
  far.push_back(*book_->take(*second));
  const auto mean = analysis(add("power-mean", far));
  ASSERT_TRUE(mean) << mean.error().text();
  // The same level told at 1 m is half as loud at 2 m: the mean power of 1 and 1/4.
  const double one = std::abs(value_at(analysis(far[0].id)->curve, 1000.0));
  EXPECT_NEAR(std::abs(value_at(mean->curve, 1000.0)), one * std::sqrt((1.0 + 0.25) / 2.0),
              0.01 * one);
  EXPECT_THAT(mean->notes.front(), HasSubstr("drive and the distance of the first"));
}

TEST_F(Worked, GoesOutWithItsValidityAndComesBackAsNoMeasurement) {
  const std::vector<Take> all = takes();
  const Id id = add("join", all);
  ASSERT_TRUE(export_take(*book_, id, folder_ / "joined.frd"));
  const std::string text = test::slurp(folder_ / "joined.frd");
  EXPECT_THAT(text, HasSubstr("valid from"));
  EXPECT_THAT(text, HasSubstr("near and far field joined at"));
  ASSERT_TRUE(export_subject(*book_, all.front().subject_id, folder_ / "out"));
  const ImportPreview back = preview_import({folder_ / "out"}, {});
  ASSERT_TRUE(back.problems.empty()) << back.problems.front().text();
  std::size_t measured = 0;
  for (const ImportItem& item : back.items) measured += is_measured(item.take) ? 1U : 0U;
  EXPECT_EQ(back.items.size(), 4U);
  EXPECT_EQ(measured, 3U);
  // A command that names it reads it; the others work on what was measured.
  EXPECT_EQ(read_source(folder_ / "book.lalo", {}, {}).items.size(), 3U);
  SourceChoice choice;
  choice.take = id;
  const ImportPreview one = read_source(folder_ / "book.lalo", {}, choice);
  ASSERT_EQ(one.items.size(), 1U);
  EXPECT_TRUE(one.items.front().curve.has_value());
}

}  // namespace
}  // namespace lalometer
