#pragma once

#include <QHash>
#include <QObject>
#include <QSet>
#include <QString>
#include <QTimer>
#include <memory>
#include <optional>

#include "book/book_writer.h"
#include "desk/session/angle_sets.h"
#include "desk/session/case_watch.h"
#include "desk/session/time_readings.h"
#include "desk/session/work.h"
#include "workbench/reading/lane_content.h"
#include "workbench/results/take_results.h"
#include "workbench/studies/impedance_studies.h"

namespace lalometer {

/// The open book as the window sees it: its rows, what is laid on the score, and results by key.
/// Rows are read here; everything that changes the book goes through its one writer, on a thread of
/// its own, and is told when it is done. Widgets know the session, never each other.
class BookSession : public QObject {
  Q_OBJECT
 public:
  explicit BookSession(Work& work, QObject* parent = nullptr);
  ~BookSession() override;

  /// Another book takes the place of the open one; whatever ran for that one is stopped. On failure
  /// what was open stays open.
  [[nodiscard]] Result<void> open(const std::filesystem::path& path);
  [[nodiscard]] Result<void> create(const std::filesystem::path& path);
  [[nodiscard]] bool isOpen() const { return book_.has_value(); }
  /// For reading rows. Changes go through edit().
  [[nodiscard]] const Book& book() const { return *book_; }
  [[nodiscard]] Work& work() { return work_; }
  /// Of the open book; for workers that keep what they take.
  [[nodiscard]] std::shared_ptr<BookWriter> writer() const { return writer_; }

  [[nodiscard]] const std::vector<Subject>& subjects() const { return subjects_; }
  [[nodiscard]] const std::vector<Variant>& variants() const { return variants_; }
  [[nodiscard]] const std::vector<Take>& takes() const { return takes_; }
  [[nodiscard]] const std::vector<TakeGroup>& groups() const { return groups_; }
  [[nodiscard]] const Take* take(Id id) const;
  [[nodiscard]] const Subject* subject(Id id) const;
  [[nodiscard]] const Variant* variant(Id id) const;

  [[nodiscard]] Id chosenTake() const { return chosen_; }
  void chooseTake(Id id);
  /// Subject of the chosen take, else the first.
  [[nodiscard]] Id chosenSubject() const;
  /// What a worker needs to analyse a subject's takes by itself, by id.
  [[nodiscard]] CurveSource curveSource(Id subject) const;
  /// Loading that the subject's description tells; may be empty.
  [[nodiscard]] std::string loadingOf(Id subject) const { return loadings_.value(subject); }

  /// Lays takes on the score with the first free colours, or removes them from it.
  void setLaid(const std::vector<Id>& takes, bool laid);
  void setLaid(Id take, bool laid) { setLaid(std::vector<Id>{take}, laid); }
  /// All takes of a group, in shades of one hue in their order.
  void setGroupLaid(Id group, bool laid);
  /// Members of a group in their order (angles, drives).
  [[nodiscard]] std::vector<Id> membersOf(Id group) const;
  [[nodiscard]] const TakeGroup* group(Id id) const;
  [[nodiscard]] std::vector<LaidTake> laid() const;
  /// Whether any laid take's result is still on its way.
  [[nodiscard]] bool awaiting() const;
  /// Whether takes come with their subject's modelled curves; off at first.
  void setModelsWanted(bool wanted);
  [[nodiscard]] bool modelsWanted() const { return models_wanted_; }
  /// The sets of angles that laid takes stand for.
  [[nodiscard]] AngleSets& angles() { return angles_; }
  /// What laid takes tell of level and time.
  [[nodiscard]] TimeReadings& time() { return time_; }
  /// What the chosen subject's takes say is wrong.
  [[nodiscard]] CaseWatch& caseWatch() { return case_; }
  /// Small curve of a take for the shelf; empty while it is not known. Asking starts the work.
  [[nodiscard]] std::vector<float> miniatureOf(const Take& take);
  [[nodiscard]] const std::shared_ptr<ResultStore>& store() const { return store_; }

  /// Recipe in force for takes of a role, with an unfinished drag in it.
  [[nodiscard]] Recipe recipe(Id subject, TakeRole role = TakeRole::kFarField) const;
  /// Shows a recipe without keeping it (while the gate is dragged).
  void previewRecipe(Id subject, const Recipe& recipe, TakeRole role = TakeRole::kFarField);
  /// Whether laid responses are worked out anew with what they can have in common: the shortest
  /// gate, the broadest smoothing, the chosen one's drive and distance. Kept with the view.
  [[nodiscard]] bool treatedAlike() const { return alike_; }
  void setTreatedAlike(bool alike);
  /// Shows a join at another place without keeping it, while it is dragged; keeps it where done.
  void moveJoin(Id take, double at_hz, bool done);
  /// Keeps it as one step of undo.
  void commitRecipe(Id subject, const Recipe& recipe, TakeRole role = TakeRole::kFarField);

  /// Changes the book through its writer, on a worker; reads the rows again when it is through,
  /// then calls `settled`. A failure is told by failed() too.
  template <class T>
  void edit(std::function<Result<T>(Book&)> change, std::function<void(const Result<T>&)> settled) {
    if (!isOpen()) return;
    ++edits_;
    work_.start<T>(
        this, {WorkKind::kWrite, WorkScope::kBook, {}},
        [writer = writer_, change = std::move(change)](const WorkContext&) {
          return writer->run(change);
        },
        [this, settled = std::move(settled)](const Result<T>& outcome) {
          finishEdit(outcome ? nullptr : &outcome.error());
          if (settled) settled(outcome);
        });
  }
  /// @param settled  whether it was carried out.
  void edit(std::function<Result<void>(Book&)> change, std::function<void(bool)> settled = {});
  void undo();
  void redo();
  [[nodiscard]] std::string undoName() const { return writer_ ? writer_->undo_name() : ""; }
  [[nodiscard]] std::string redoName() const { return writer_ ? writer_->redo_name() : ""; }

  /// How the window looks: kept soon, not an edit.
  void setView(const std::string& key, const std::string& value);
  [[nodiscard]] std::string view(const std::string& key) const;
  /// Keeps at once what setView() and setLaid() would keep soon.
  void flushView();
  /// A text that the book keeps of a subject (0: of the whole book): the value that was set last,
  /// also while it is being written.
  [[nodiscard]] std::string document(Id subject, const std::string& kind) const;
  void setDocument(Id subject, const std::string& kind, const std::string& value,
                   const std::string& step_name);

  /// Reads the rows anew; raw data is not touched.
  void reload();
  /// Reads them where another program has changed the book.
  void followForeignChanges();
  /// Something is being analysed or written.
  [[nodiscard]] bool busy() const;

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
  void resultsChanged();  ///< a result has come in
  void miniatureKnown(qint64 take);
  void bookChanged();  ///< another book was opened
  void failed(const QString& message);

 private:
  friend class AngleSets;
  friend class CaseWatch;
  friend class TimeReadings;
  /// Newest results of a laid take; shown on while newer ones are being analysed.
  struct Shown {
    std::string key;
    std::shared_ptr<const Analysis> analysis;
    std::shared_ptr<const ImpedanceReading> reading;
  };
  struct Keys {
    Recipe recipe;
    Recipe near = {};  ///< of a worked take: the other role's
    double at_hz = 0.0;
    LevelPlace level = {};
    std::string curve;
    std::string miniature;
  };
  struct PendingDocument {
    std::string value;
    int writes = 0;
  };
  void adopt(Book book, Book for_writing);
  void colourTakes(const std::vector<std::pair<Id, int>>& colours);
  void follow(const Take& take);
  void followRecipe(Id subject, TakeRole role);
  void followModels();
  void show(Id take, const std::string& key, Shown shown);
  void askMiniature(const Take& take, const std::string& key);
  void keepMiniature(const std::string& key, const std::vector<float>& points);
  void finishEdit(const Error* problem);
  void tellRows();
  void tellLaid();
  [[nodiscard]] TakeInputs inputsOf(const Take& take) const;
  [[nodiscard]] double joinOf(const Take& take) const;
  /// What laid responses are brought to; nothing where each stays as it was taken.
  struct Common {
    Recipe recipe;
    double drive_v = 2.83;
    double distance_m = 1.0;
  };
  [[nodiscard]] std::optional<Common> commonFor(const Take& take) const;
  [[nodiscard]] std::shared_ptr<const Stand> standOf(Id subject) const;
  [[nodiscard]] const Keys& keysOf(const Take& take) const;
  [[nodiscard]] std::shared_ptr<const ModelledCurves> modelOf(Id subject) const;
  struct Rig {
    std::shared_ptr<const RigCalibration> calibration;
    std::string json;
  };
  [[nodiscard]] const Rig& rigOf(Id rig) const;

  Work& work_;
  AngleSets angles_;
  TimeReadings time_;
  CaseWatch case_;
  std::shared_ptr<ResultStore> store_;
  std::optional<Book> book_;
  std::shared_ptr<BookWriter> writer_;
  std::vector<Subject> subjects_;
  std::vector<Variant> variants_;
  std::vector<Take> takes_;
  std::vector<TakeGroup> groups_;
  QHash<Id, qsizetype> take_index_;
  mutable QHash<Id, Rig> rigs_;
  mutable QHash<Id, std::shared_ptr<const Stand>> stands_;  ///< by subject, as they were read
  mutable std::map<std::pair<Id, TakeRole>, Recipe> recipes_;
  QHash<Id, std::shared_ptr<const SubjectGeometry>>
      geometries_;                   ///< null: not specified or impossible
  QHash<Id, std::string> loadings_;  ///< by subject
  bool models_wanted_ = false;
  struct Preview {
    Id subject;
    TakeRole role;
    Recipe recipe;
  };
  std::optional<Preview> preview_;
  std::optional<std::pair<Id, double>> join_preview_;  ///< a take and where it is joined
  Id chosen_ = 0;

  QHash<Id, Shown> shown_;               ///< of laid takes
  QHash<Id, std::vector<float>> minis_;  ///< by take, as far as they are known
  QHash<Id, std::string> mini_keys_;     ///< for which key
  mutable QHash<Id, Keys> keys_;
  QSet<Id> analysing_;
  QSet<Id> drawing_minis_;
  QSet<QString> failed_keys_;
  QSet<Id> modelling_;
  QSet<Id> cannot_model_;
  bool alike_ = false;
  int edits_ = 0;

  std::map<std::string, std::string> pending_view_;
  std::map<Id, int> pending_colours_;
  int view_writes_ = 0;  ///< what they write is in the two maps below
  std::map<std::string, std::string> writing_view_;
  std::map<Id, int> writing_colours_;
  std::map<std::pair<Id, std::string>, PendingDocument> pending_documents_;
  QTimer view_timer_;
  std::int64_t seen_changes_ = 0;
  int together_ = 0;
  bool rows_untold_ = false;
  bool laid_untold_ = false;
};

}  // namespace lalometer
