#include "exchange/chart/broken_line.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

namespace lalometer {
namespace {

/// Of the picture's width: a longer piece is a plain line.
constexpr double kPlain = 0.2;
/// Pieces that one line is believed to be broken into.
constexpr std::size_t kFewest = 4;
/// Columns and rows that a grid line of the curve's own colour takes out of it.
constexpr double kCut_px = 3.0;

struct Place {
  double x = 0.0;
  double y = 0.0;
};
Place operator-(const Place& a, const Place& b) {
  return {a.x - b.x, a.y - b.y};
}
double length(const Place& v) {
  return std::hypot(v.x, v.y);
}
/// Cosine of the angle between two ways; 1 where one of them is none.
double alike(const Place& a, const Place& b) {
  const double size = length(a) * length(b);
  return size > 0.0 ? (a.x * b.x + a.y * b.y) / size : 1.0;
}

/// A connected piece of the line.
struct Piece {
  std::vector<Step> steps;  ///< by column
  Place left, right;        ///< its tips
  [[nodiscard]] double size() const { return length(right - left); }
  [[nodiscard]] int width() const { return steps.back().x - steps.front().x + 1; }
};

/// A steep piece ends where its outermost column ends, not in that column's middle.
Place tip(const Run& outer, int x, double middle, double width_px) {
  double y = outer.middle;
  if (outer.length() > 1.5 * width_px)
    y = middle > outer.middle ? outer.top + 0.5 * width_px : outer.bottom - 0.5 * width_px;
  return {x + 0.5, y};
}

class Pieces {
 public:
  Pieces(const ChartPixels& p, const Coverage& line, const Rules& rules, double width_px) {
    std::vector<Step> all;
    std::vector<std::size_t> before;  // runs of the last column that was not a grid line
    for (int x = 0; x < p.width; ++x) {
      if (rules.columns[static_cast<std::size_t>(x)]) continue;
      std::vector<std::size_t> here;
      for (const Run& run : runs_of(p, line, rules, x)) {
        here.push_back(all.size());
        owner_.push_back(all.size());
        all.push_back({x, run});
      }
      for (const std::size_t a : before) {
        const double reach = all[a].x + 1 == x ? 1.0 : kCut_px;
        for (const std::size_t b : here) {
          if (std::max(all[a].run.top - all[b].run.bottom, all[b].run.top - all[a].run.bottom) <=
                  reach &&
              x - all[a].x <= static_cast<int>(kCut_px))
            owner_[root(b)] = root(a);
        }
      }
      before = std::move(here);
    }
    std::vector<std::optional<std::size_t>> known(all.size());
    for (std::size_t i = 0; i < all.size(); ++i) {
      auto& at = known[root(i)];
      if (!at) {
        at = pieces_.size();
        pieces_.emplace_back();
      }
      pieces_[*at].steps.push_back(all[i]);
    }
    for (Piece& piece : pieces_) {
      double sum = 0.0;
      for (const Step& s : piece.steps) sum += s.run.middle;
      const double middle = sum / static_cast<double>(piece.steps.size());
      piece.left = tip(piece.steps.front().run, piece.steps.front().x, middle, width_px);
      piece.right = tip(piece.steps.back().run, piece.steps.back().x, middle, width_px);
    }
  }
  [[nodiscard]] const std::vector<Piece>& all() const { return pieces_; }
  [[nodiscard]] std::optional<std::size_t> holding(const Step& step) const {
    for (std::size_t i = 0; i < pieces_.size(); ++i)
      for (const Step& s : pieces_[i].steps)
        if (s.x == step.x && std::abs(s.run.middle - step.run.middle) < 1.0) return i;
    return std::nullopt;
  }

 private:
  std::size_t root(std::size_t i) {
    while (owner_[i] != i) i = owner_[i] = owner_[owner_[i]];
    return i;
  }
  std::vector<std::size_t> owner_;
  std::vector<Piece> pieces_;
};

/// Goes from piece to piece to one side.
class Walk {
 public:
  Walk(const std::vector<Piece>& pieces, std::size_t start, int side, double width_px)
      : pieces_(pieces), side_(side), width_px_(width_px), taken_{start} {}

  [[nodiscard]] std::vector<std::size_t> taken() {
    while (const auto next = ahead()) {
      taken_.push_back(*next);
      gaps_.push_back(length(near_tip(*next) - far_tip(taken_[taken_.size() - 2])));
    }
    return taken_;
  }

 private:
  [[nodiscard]] Place near_tip(std::size_t i) const {
    return side_ > 0 ? pieces_[i].left : pieces_[i].right;
  }
  [[nodiscard]] Place far_tip(std::size_t i) const {
    return side_ > 0 ? pieces_[i].right : pieces_[i].left;
  }
  /// Way through a piece; of a dot, which has none, from the piece before.
  [[nodiscard]] Place way() const {
    const std::size_t last = taken_.back();
    if (pieces_[last].size() > 2.5 * width_px_ || taken_.size() == 1)
      return far_tip(last) - near_tip(last);
    return far_tip(last) - far_tip(taken_[taken_.size() - 2]);
  }
  [[nodiscard]] double longest_piece() const {
    double longest = 0.0;
    for (const std::size_t i : taken_) longest = std::max(longest, pieces_[i].size());
    return longest;
  }
  /// A piece that another line hides leaves two gaps and its own length.
  [[nodiscard]] double longest_gap() const {
    double usual = 14.0;
    if (gaps_.size() >= 3) {
      std::vector<double> sorted = gaps_;
      std::nth_element(sorted.begin(), sorted.begin() + std::ssize(sorted) / 2, sorted.end());
      usual = sorted[sorted.size() / 2];
    }
    return 2.0 * usual + std::max(longest_piece(), usual) + 2.0 * width_px_;
  }
  [[nodiscard]] std::optional<std::size_t> ahead() const {
    const Place from = far_tip(taken_.back());
    const Place along = way();
    const double most = longest_gap();
    const double longest = std::max(longest_piece(), 6.0 * width_px_);
    std::optional<std::size_t> best;
    double least = 3.0 * most;
    for (std::size_t i = 0; i < pieces_.size(); ++i) {
      const Piece& piece = pieces_[i];
      if (piece.size() > 3.0 * longest ||
          std::find(taken_.begin(), taken_.end(), i) != taken_.end())
        continue;
      const Place to = near_tip(i);
      const Place over = to - from;
      if (side_ * over.x < -1.0 || length(over) > most) continue;
      const Place on = far_tip(i) - to;
      // Turning costs as a longer gap would: sharp tips are rare, another line's dashes are not.
      const bool dot = length(on) < 2.5 * width_px_;
      const double turn = (1.0 - alike(along, over)) + (dot ? 0.0 : 1.0 - alike(over, on));
      const double cost = length(over) * (1.0 + 4.0 * turn);
      if (cost >= least) continue;
      least = cost;
      best = i;
    }
    return best;
  }

  const std::vector<Piece>& pieces_;
  int side_;
  double width_px_;
  std::vector<std::size_t> taken_;
  std::vector<double> gaps_;
};

}  // namespace

std::vector<Step> followed_pieces(const ChartPixels& p, const Coverage& line, const Rules& rules,
                                  const Step& start, double width_px) {
  const Pieces pieces(p, line, rules, width_px);
  const auto first = pieces.holding(start);
  if (!first || pieces.all()[*first].width() > kPlain * p.width) return {};
  std::vector<std::size_t> chain = Walk(pieces.all(), *first, -1, width_px).taken();
  std::reverse(chain.begin(), chain.end());
  const std::vector<std::size_t> right = Walk(pieces.all(), *first, 1, width_px).taken();
  chain.insert(chain.end(), right.begin() + 1, right.end());
  if (chain.size() < kFewest) return {};
  std::vector<Step> path;
  for (const std::size_t i : chain) {
    for (const Step& step : pieces.all()[i].steps)
      if (path.empty() || step.x > path.back().x) path.push_back(step);
  }
  return path;
}

}  // namespace lalometer
