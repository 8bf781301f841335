#pragma once

#include <QHash>
#include <QObject>
#include <QSet>
#include <QString>
#include <memory>
#include <optional>
#include <stop_token>

#include "book/book.h"
#include "workbench/impedance_studies.h"
#include "workbench/lane_content.h"

namespace lalometer {

/// The open book as the window sees it: its rows, what is laid on the score, and the results of
/// takes, worked out on the pool and handed back as values. Widgets know the session, never each
/// other.
class BookSession : public QObject {
  Q_OBJECT
 public:
  explicit BookSession(QObject* parent = nullptr);
  ~BookSession() override;

  /// Closes what was open. On failure what was open stays open.
  [[nodiscard]] Result<void> open(const std::filesystem::path& path);
  [[nodiscard]] Result<void> create(const std::filesystem::path& path);
  [[nodiscard]] bool isOpen() const { return book_.has_value(); }
  [[nodiscard]] Book& book() { return *book_; }

  [[nodiscard]] const std::vector<Subject>& subjects() const { return subjects_; }
  [[nodiscard]] const std::vector<Variant>& variants() const { return variants_; }
  [[nodiscard]] const std::vector<Take>& takes() const { return takes_; }
  [[nodiscard]] const Take* take(Id id) const;
  [[nodiscard]] const Subject* subject(Id id) const;
  [[nodiscard]] const Variant* variant(Id id) const;

  [[nodiscard]] Id chosenTake() const { return chosen_; }
  void chooseTake(Id id);
  /// A subject's takes with what a worker needs to work them out by itself.
  [[nodiscard]] CurveSource curveSource(Id subject) const;
  /// Loading that the subject's description tells; may be empty.
  [[nodiscard]] std::string loadingOf(Id subject) const { return loadings_.value(subject); }

  /// Subject of the chosen take, else the first.
  [[nodiscard]] Id chosenSubject() const;

  /// Lays a take on the score with the first free colour, or takes it off.
  void setLaid(Id take, bool laid);
  [[nodiscard]] std::vector<LaidTake> laid() const;
  /// Whether takes come with their subject's modelled curves; off at first.
  void setModelsWanted(bool wanted);
  [[nodiscard]] bool modelsWanted() const { return models_wanted_; }
  /// Small curve of a take for the shelf; empty while it is not known. Asking starts the work.
  [[nodiscard]] std::vector<float> miniatureOf(const Take& take);

  /// Recipe in force, with an unfinished drag in it.
  [[nodiscard]] Recipe recipe(Id subject) const;
  /// Shows a recipe without keeping it (while the gate is dragged).
  void previewRecipe(Id subject, const Recipe& recipe);
  /// Keeps it as one step of undo.
  void commitRecipe(Id subject, const Recipe& recipe);

  /// For every edit: runs it, reports a failure, reads the book again.
  void apply(const Result<void>& outcome);
  void undo();
  void redo();
  /// Reads the rows anew; raw data is not touched.
  void reload();
  [[nodiscard]] bool busy() const { return !running_.isEmpty(); }

  /// While one is alive what changes is told only once, at its end: several edits that belong
  /// together cost the widgets one refresh.
  class Together {
   public:
    explicit Together(BookSession& session) : session_(session) { ++session_.together_; }
    ~Together();
    Together(const Together&) = delete;
    Together& operator=(const Together&) = delete;

   private:
    BookSession& session_;
  };

 signals:
  void rowsChanged();     ///< subjects, variants, takes
  void laidChanged();     ///< which takes lie on the score, or which is chosen
  void resultsChanged();  ///< a curve was worked out
  void miniatureKnown(qint64 take);
  void failed(const QString& message);

 private:
  struct Outcome;
  void startWork(const Take& take);
  void followRecipe(Id subject);
  void receive(const std::shared_ptr<Outcome>& outcome);
  void stopWork();
  void tellRows();
  void tellLaid();
  void adopt(Book book);
  [[nodiscard]] std::shared_ptr<const ModelledCurves> modelOf(Id subject) const;
  [[nodiscard]] QString keyOf(const Take& take) const;
  [[nodiscard]] const RigCalibration& rigOf(Id rig) const;

  std::optional<Book> book_;
  std::vector<Subject> subjects_;
  std::vector<Variant> variants_;
  std::vector<Take> takes_;
  QHash<Id, qsizetype> take_index_;
  mutable QHash<Id, RigCalibration> rigs_;
  mutable QHash<Id, Recipe> recipes_;
  QHash<Id, std::shared_ptr<const SubjectGeometry>> geometries_;  ///< null: not told or impossible
  QHash<Id, std::string> loadings_;                               ///< by subject
  /// By subject and description: drawn anew they are modelled anew. Null: impossible.
  mutable QHash<Id, std::pair<std::string, std::shared_ptr<const ModelledCurves>>> models_;
  bool models_wanted_ = false;
  std::optional<std::pair<Id, Recipe>> preview_;
  Id chosen_ = 0;

  QHash<Id, std::pair<QString, std::shared_ptr<const Analysis>>>
      results_;  ///< newest result of laid takes
  QHash<Id, std::shared_ptr<const ImpulseStage>> stages_;
  QHash<Id, std::shared_ptr<const ImpedanceReading>> readings_;  ///< of laid impedances
  QHash<QString, std::vector<float>> miniatures_;
  mutable QHash<Id, std::pair<Recipe, QString>> keys_;
  QSet<Id> running_;
  QSet<Id> wanted_miniatures_;
  QSet<Id> failed_;
  int together_ = 0;
  bool rows_untold_ = false;
  bool laid_untold_ = false;
  std::stop_source stop_;
};

}  // namespace lalometer
