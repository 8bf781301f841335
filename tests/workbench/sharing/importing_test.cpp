#include "workbench/sharing/importing.h"

#include <gmock/gmock.h>
#include <sqlite3.h>

#include <nlohmann/json.hpp>

#include "exchange/audio_file.h"
#include "support/books.h"
#include "workbench/practice/demo_book.h"
#include "workbench/practice/simulating.h"
#include "workbench/results/analysis.h"
#include "workbench/sharing/exporting.h"
#include "workbench/taking/take_runner.h"

namespace lalometer {
namespace {

using test::SmallBook;
using test::TemporaryFolder;
using ::testing::HasSubstr;

TEST(Preview, PutsEveryFileIntoItemsOrProblems) {
  const TemporaryFolder folder;
  test::write(folder / "a.frd", "100 80 0\n200 81 0\n");
  test::write(folder / "b.zma", "100 8 0\n200 -1 0\n");
  test::write(folder / "mic.cal", "100 0.5\n200 0.1\n");
  test::write(folder / "fake.wav", "not a sound");
  const ImportPreview preview =
      preview_import({folder / "a.frd", folder / "b.zma", folder / "mic.cal", folder / "fake.wav",
                      folder / "gone.frd"},
                     {});
  ASSERT_EQ(preview.items.size(), 2U);
  EXPECT_THAT(preview.items[0].understood, HasSubstr("2 rows"));
  EXPECT_TRUE(preview.items[1].calibration);
  ASSERT_EQ(preview.problems.size(), 3U);
  EXPECT_THAT(preview.problems[0].where, HasSubstr("b.zma:2"));
}

TEST(Preview, TakesNothingByItself) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  test::write(folder / "a.frd", "100 80 0\n200 81 0\n");
  ImportPreview preview = preview_import({folder / "a.frd"}, {});
  EXPECT_EQ(small.book.takes()->size(), 0U);
  preview.items[0].wanted = false;
  EXPECT_EQ(take_in(small.book, preview, {small.subject, small.variant})->size(), 0U);
  preview.items[0].wanted = true;
  EXPECT_EQ(take_in(small.book, preview, {small.subject, small.variant})->size(), 1U);
  EXPECT_EQ(small.book.takes()->front().variant_id, small.variant);
}

TEST(Import, KeepsTheFileByteForByte) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  const std::string text = "* odd  spacing\r\n100\t80,5;\t\r\n";
  const std::string usable = "* odd  spacing\r\n100\t80.5\t1\r\n200\t81\t2\r\n";
  test::write(folder / "bad.frd", text);
  test::write(folder / "a.frd", usable);
  const ImportPreview preview = preview_import({folder / "a.frd"}, {});
  const auto ids = take_in(small.book, preview, {small.subject, small.variant});
  ASSERT_TRUE(ids.has_value());
  const auto raw = small.book.raw(small.book.take(ids->front())->raw_hash);
  EXPECT_EQ(std::string(reinterpret_cast<const char*>(raw->data()), raw->size()), usable);
  EXPECT_EQ(preview_import({folder / "bad.frd"}, {}).problems.size(), 1U);
}

TEST(Import, OfASimulatedSetGivesTheResponseOfItsTruth) {
  const TemporaryFolder folder;
  test::write(folder / "s.json", R"({"subject": {"name": "S", "loading": "vented",
    "drivers": [{"role": "woofer", "y_mm": -95}, {"role": "tweeter", "y_mm": 60}], "box": {"net_volume_l": 14},
    "ports": [{"diameter_mm": 50, "length_mm": 130, "y_mm": -120}]}})");
  ASSERT_TRUE(simulate_set(folder / "s.json", folder / "set", 5, {}, {}).has_value());
  EXPECT_TRUE(std::filesystem::exists(folder / "set" / "truth.json"));
  const auto set = read_set(folder / "set");
  ASSERT_TRUE(set.has_value()) << set.error().text();
  ASSERT_EQ(set->takes.size(), 2U);
  const auto book = Book::create(folder / "b.lalo");
  ASSERT_TRUE(book.has_value());
  const ImportPreview preview = preview_import({folder / "set"}, {});
  ASSERT_EQ(preview.items.size(), 2U);
  EXPECT_TRUE(preview.subject.has_value());
  const auto truth = nlohmann::json::parse(test::slurp(folder / "set" / "truth.json"));
  for (const ImportItem& item : preview.items) {
    ASSERT_TRUE(item.curve.has_value());
    const bool impedance = item.take.kind() == TakeKind::kImpedance;
    for (std::size_t i = 0; i < truth["frequency_hz"].size(); ++i) {
      const double f = truth["frequency_hz"][i];
      // The port's pipe rings longer than the gate near 1 kHz.
      if (f < (impedance ? 15.0 : 2000.0) || f > 19000.0) continue;
      const double want = impedance ? truth["impedance_ohm"][i].get<double>()
                                    : std::pow(10.0, truth["level_db"][i].get<double>() / 20.0) *
                                          kReferencePressure_pa;
      EXPECT_NEAR(std::abs(value_at(*item.curve, f)) / want, 1.0, 0.01) << f;
    }
  }
}

TEST(Export, OfASubjectReadsBackAsTheSameCurves) {
  const TemporaryFolder folder;
  ASSERT_TRUE(make_demo_book(folder / "demo.lalo", DemoExtent::kKioskOnly).has_value());
  auto book = Book::open(folder / "demo.lalo");
  ASSERT_TRUE(book.has_value());
  ASSERT_EQ(book->takes()->size(), 4U);
  ASSERT_TRUE(export_subject(*book, book->subjects()->front().id, folder / "out").has_value());
  const ImportPreview preview = preview_import({folder / "out"}, {});
  ASSERT_EQ(preview.items.size(), 4U);
  EXPECT_EQ(preview.variants.size(), 2U);
  for (std::size_t i = 0; i < 4; ++i) {
    const Take take = (*book->takes())[i];
    Recipe recipe = *book->recipe(take.subject_id);
    recipe.smoothing = 0;
    const auto own = analysed({take, *book->raw(take.raw_hash), *book->rig(take.rig_id), recipe});
    ASSERT_TRUE(own.has_value());
    for (const double f : {300.0, 2000.0, 15000.0}) {
      const auto ratio = value_at(*preview.items[i].curve, f) / value_at(own->curve, f);
      EXPECT_NEAR(std::abs(ratio), 1.0, 1e-4) << preview.items[i].file << " at " << f;
      EXPECT_NEAR(std::arg(ratio), 0.0, 1e-3) << preview.items[i].file << " at " << f;
    }
  }
}

TEST(Export, OfATakeIsOnlyWhatIsValid) {
  const TemporaryFolder folder;
  ASSERT_TRUE(make_demo_book(folder / "demo.lalo", DemoExtent::kKioskOnly).has_value());
  const auto book = Book::open(folder / "demo.lalo");
  const Id response = (*book->takes())[1].id;
  ASSERT_TRUE(export_take(*book, response, folder / "r.frd").has_value());
  const auto bytes = file_bytes(folder / "r.frd");
  const auto table = read_text_table(*bytes, "r.frd", ColumnKind::kResponse);
  ASSERT_TRUE(table.has_value());
  EXPECT_GE(table->rows.front().frequency_hz, 250.0);
  ASSERT_TRUE(export_take(*book, response, folder / "r.flac").has_value());
  EXPECT_EQ(read_audio(*file_bytes(folder / "r.flac"), "r.flac")->channels.size(), 2U);
}

TEST(ImportedCurve, WithItsDelayIncludedLosesTheFlightTime) {
  const TemporaryFolder folder;
  const Response delayed =
      test::curve_from([](double f) { return std::polar(1.0, -2.0 * kPi * f / 343.0); },
                       Quantity::kPressure, 100.0, 10000.0, 96.0);
  Take take;
  take.form = RawForm::kTextFile;
  take.conditions.delay_included = true;
  std::string text;
  for (std::size_t i = 0; i < delayed.size(); ++i)
    text += fmt::format("{} {} {}\n", delayed.axis()[i], delayed.level_db(i), delayed.phase_deg(i));
  Recipe recipe;
  recipe.smoothing = 0;
  const auto a = analysed({take, test::text_raw(text).bytes, {}, recipe});
  ASSERT_TRUE(a.has_value());
  for (std::size_t i = 0; i < a->curve.size(); ++i) ASSERT_NEAR(a->curve.phase_deg(i), 0.0, 1e-6);
}

TEST(Import, ARecordingsMicrophoneCorrectionTravelsWithTheSet) {
  const TemporaryFolder folder;
  Id subject = 0;
  Response wanted =
      test::curve_from([](double) { return std::complex<double>(1.0); }, Quantity::kPressure);
  {
    PracticeBenchSetup setup = demo_bench(false);
    setup.rig.microphone_correction = test::curve_from(
        [](double f) {
          return std::complex<double>(std::pow(10.0, 0.1 * std::log2(f / 1000.0) / 20.0));
        },
        Quantity::kRatio, 5.0, 24000.0, 12.0);
    SmallBook small(folder / "a.lalo");
    subject = small.subject;
    PracticeBench bench(setup);
    TakeRequest request;
    request.name = "On axis";
    request.subject_id = small.subject;
    request.variant_id = small.variant;
    const auto outcome = run_take(bench, setup.rig, request, {}, {});
    ASSERT_TRUE(outcome.has_value());
    const Id take = *keep_take(small.book, *outcome, setup.rig);
    const auto raw = small.book.raw(small.book.take(take)->raw_hash);
    Recipe plain;
    plain.smoothing = 0;
    wanted = analysed({*small.book.take(take), *raw, setup.rig, plain})->curve;
    ASSERT_TRUE(export_subject(small.book, subject, folder / "set").has_value());
  }
  const ImportPreview preview = preview_import({folder / "set"}, {});
  ASSERT_TRUE(preview.problems.empty()) << preview.problems[0].text();
  ASSERT_EQ(preview.items.size(), 1U);
  ASSERT_TRUE(preview.items[0].rig.has_value());
  const Response& back = *preview.items[0].curve;
  for (const double f : {300.0, 1000.0, 8000.0, 15000.0})
    EXPECT_NEAR(std::abs(value_at(back, f) / value_at(wanted, f)), 1.0, 0.002) << f;
  auto book = Book::create(folder / "b.lalo");
  const auto ids = take_in(*book, preview, {});
  ASSERT_TRUE(ids.has_value());
  EXPECT_TRUE(book->rig(book->take(ids->front())->rig_id)->microphone_correction.has_value());
}

TEST(Preview, AStopLeavesNothingAndProgressReachesEveryFile) {
  const TemporaryFolder folder;
  std::vector<std::filesystem::path> files;
  for (int i = 0; i < 5; ++i) {
    files.push_back(folder / ("a" + std::to_string(i) + ".frd"));
    test::write(files.back(), "100 80 0\n200 81 0\n");
  }
  std::vector<double> told;
  std::stop_source stop;
  const ImportPreview whole =
      preview_import(files, {}, stop.get_token(), [&](double done) { told.push_back(done); });
  EXPECT_EQ(whole.items.size(), 5U);
  EXPECT_GE(told.size(), 5U);
  EXPECT_TRUE(std::is_sorted(told.begin(), told.end()));
  const ImportPreview stopped =
      preview_import(files, {}, stop.get_token(), [&](double) { stop.request_stop(); });
  EXPECT_TRUE(stopped.items.empty());
}

TEST(Import, ThatFailsLeavesNoEmptySubjectBehind) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  test::write(folder / "a.frd", "100 80 0\n200 81 0\n");
  const ImportPreview preview = preview_import({folder / "a.frd"}, {});
  // No take goes in any more, as on a disk that fills up between subject and takes.
  sqlite3* database = nullptr;
  ASSERT_EQ(sqlite3_open((folder / "a.lalo").c_str(), &database), SQLITE_OK);
  ASSERT_EQ(sqlite3_exec(
                database,
                "CREATE TRIGGER full BEFORE INSERT ON take BEGIN SELECT RAISE(ABORT, 'full'); END",
                nullptr, nullptr, nullptr),
            SQLITE_OK);
  sqlite3_close(database);
  EXPECT_FALSE(take_in(small.book, preview, {}).has_value());
  ASSERT_EQ(small.book.subjects()->size(), 1U);
  EXPECT_EQ(small.book.subjects()->front().id, small.subject);
  EXPECT_EQ(small.book.undo_name(), "Add a variant")
      << "the steps before the import are as they were";
}

}  // namespace
}  // namespace lalometer
