#pragma once

#include <QWidget>
#include <set>

#include "acoustics/network/design/crossover_design.h"
#include "acoustics/network/whatif/tolerance.h"
#include "desk/networks/network_view.h"
#include "desk/score/score_view.h"
#include "desk/session/book_session.h"
#include "workbench/networks/network_material.h"
#include "workbench/networks/network_study.h"

namespace lalometer {

/// A network for the chosen subject's drivers, as they were taken alone: drawn above, and what it
/// makes of them on lanes below, while a value is dragged. Kept with the subject.
class NetworkDesk : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit NetworkDesk(BookSession& session, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;
  [[nodiscard]] bool settling() const override {
    return reading_ || designing_ || banding_ || judging_;
  }
  void shown() override { follow(); }

  [[nodiscard]] NetworkView* view() { return view_; }
  [[nodiscard]] ScoreView* lanes() { return lanes_; }
  /// Null while it is read, or where nothing can be tried.
  [[nodiscard]] const NetworkMaterial* material() const { return material_.get(); }
  [[nodiscard]] const QString& trouble() const {
    return trouble_.isEmpty() ? sum_trouble_ : trouble_;
  }
  [[nodiscard]] const DesignedNetwork& network() const { return network_; }
  [[nodiscard]] const std::optional<NetworkSum>& sum() const { return sum_; }
  [[nodiscard]] const std::optional<NetworkPlace>& chosen() const { return chosen_; }
  /// Of the latest design; empty where none was asked for.
  [[nodiscard]] const QString& verdict() const { return verdict_; }
  [[nodiscard]] bool designing() const { return designing_; }

  void choose(const std::optional<NetworkPlace>& place);
  /// @param done  keeps it, as one step of undo
  void change(const DesignedNetwork& network, bool done);
  void setValue(const NetworkPlace& place, double value, bool done);
  void remove(const NetworkPlace& place);
  void design(CrossoverWish wish);
  /// Variants of the subject with takes of the whole loudspeaker, by name.
  [[nodiscard]] std::vector<std::pair<Id, QString>> builtVariants() const;
  /// Lays what was measured of a variant beside the prediction and judges it; 0: none.
  void setBuilt(Id variant);
  [[nodiscard]] Id built() const { return built_variant_; }
  /// What the built one tells, in a sentence; empty while it is reckoned.
  [[nodiscard]] const QString& builtTold() const { return built_told_; }
  /// Shows what so much spread of the parts, and of the drivers' levels from sample to sample, does
  /// to the sum; 0: not.
  void setTolerance(double percent, double samples_db = 0.0);
  void stop();
  /// Lanes that this network can have, by kind and title, and which of them stand below.
  [[nodiscard]] const std::vector<std::pair<std::string, QString>>& laneKinds() const {
    return lane_kinds_;
  }
  [[nodiscard]] bool laneShown(const std::string& kind) const { return !hidden_.contains(kind); }
  void setLaneShown(const std::string& kind, bool shown);

 signals:
  void changed();
  void failed(const QString& message);
  void progressed(double share);

 private:
  void follow();
  void read();
  void refresh();
  /// Works the band out anew on the pool, where one is wanted.
  void spread();
  void fillLanes();
  void keep();
  [[nodiscard]] NetworkStudyInputs inputs() const;
  void readBuilt();
  void judgeBuilt();

  BookSession& session_;
  ScoreState state_;
  NetworkView* view_;
  ScoreView* lanes_;
  std::shared_ptr<const NetworkMaterial> material_;
  QString trouble_;      ///< why there is no material
  QString sum_trouble_;  ///< why it cannot be summed
  QString verdict_;
  DesignedNetwork network_;
  std::optional<NetworkSum> sum_;
  std::optional<NetworkPlace> chosen_;
  Id subject_ = 0;
  std::uint64_t generation_ = 0;   ///< of the open book: another's subjects have the same ids
  std::string shown_;              ///< what the material is of
  std::string kept_;               ///< the network as the book has it
  std::vector<std::string> sent_;  ///< on their way into the book, the latest last
  std::vector<std::pair<std::string, QString>> lane_kinds_;
  /// Seldom looked at: a dozen lanes at once would have no room for their numbers.
  std::set<std::string> hidden_ = {"network-delay", "network-beamwidth"};
  double tolerance_percent_ = 0.0, samples_db_ = 0.0;
  std::optional<ToleranceBand> band_;
  bool banding_ = false;
  Id built_variant_ = 0;
  std::shared_ptr<const BuiltTakes> built_;
  double built_off_db_ = 0.0;
  QString built_told_;
  bool judging_ = false;
  bool reading_ = false;
  bool designing_ = false;
  WorkId work_ = 0;
};

}  // namespace lalometer
