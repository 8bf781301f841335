#include "base/text.h"

#include "base/hash.h"
#include "support/support.h"

namespace lalometer {
namespace {

TEST(Text, ShortestFormReadsBackAsTheSameNumber) {
  for (const double value : {0.1, 1.0 / 3.0, 1e-300, 6.02214076e23, -0.0, 123456789.123456789}) {
    const auto back = parse_number(shortest(value));
    ASSERT_TRUE(back.has_value()) << shortest(value);
    EXPECT_EQ(*back, value);
  }
}

TEST(Text, RefusesWhatIsNotWhollyANumber) {
  for (const char* text : {"", "+", "--5", "+-5", "12x", "1,5", "0x10", "5 ", " 5"}) {
    EXPECT_FALSE(parse_number(text).has_value()) << '"' << text << '"';
  }
  EXPECT_EQ(parse_number("+4.5"), 4.5);
  EXPECT_EQ(parse_number("1e3"), 1000.0);
}

TEST(Text, GivesFrequenciesThreeDigitsAndAUnit) {
  EXPECT_EQ(frequency_text(222.22), "222 Hz");
  EXPECT_EQ(frequency_text(41.27), "41.3 Hz");
  EXPECT_EQ(frequency_text(2281.0), "2.28 kHz");
  EXPECT_EQ(frequency_text(999.7), "1.00 kHz");
  EXPECT_EQ(frequency_text(std::nan("")), "–");
}

// FIPS 180-4 example: the one-block message "abc" (NIST's published example values).
TEST(Hash, GivesThePublishedDigestOfAbc) {
  EXPECT_EQ(sha256_hex(std::string("abc")),
            "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
}

}  // namespace
}  // namespace lalometer
