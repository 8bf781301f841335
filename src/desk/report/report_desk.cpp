#include "desk/report/report_desk.h"

#include <fmt/format.h>
#include <poppler-qt6.h>

#include <QVBoxLayout>

#include "workbench/keeping/report_keeping.h"
#include "workbench/report/report_source.h"

namespace lalometer {
namespace {

constexpr double kPaper_px = 660.0;
constexpr double kPaper_pt = 595.28;

/// A paper as pictures.
struct Pages {
  std::vector<QImage> images;
  std::vector<PaperPlace> places;
  double scale = 1.0;
};

Result<Pages> pages_of(const Report& report, const ReportWish& wish, double device_ratio) {
  auto paper = paper_of(report, wish);
  if (!paper) return tl::unexpected(paper.error());
  const QByteArray bytes(reinterpret_cast<const char*>(paper->pdf.data()),
                         static_cast<qsizetype>(paper->pdf.size()));
  const std::unique_ptr<Poppler::Document> document = Poppler::Document::loadFromData(bytes);
  if (!document) return bad_input("The report's pages cannot be shown.");
  document->setRenderHint(Poppler::Document::Antialiasing);
  document->setRenderHint(Poppler::Document::TextAntialiasing);
  Pages out;
  out.scale = kPaper_px / kPaper_pt;
  const double dpi = 72.0 * out.scale * device_ratio;
  for (int i = 0; i < document->numPages(); ++i) {
    const std::unique_ptr<Poppler::Page> page(document->page(i));
    QImage image = page ? page->renderToImage(dpi, dpi) : QImage();
    image.setDevicePixelRatio(device_ratio);
    out.images.push_back(std::move(image));
  }
  out.places = std::move(paper->places);
  return out;
}

}  // namespace

ReportDesk::ReportDesk(BookSession& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("reportDesk"));
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  scroll_ = new QScrollArea(this);
  scroll_->setFrameShape(QFrame::NoFrame);
  scroll_->setWidgetResizable(true);
  paper_ = new PaperView;
  scroll_->setWidget(paper_);
  layout->addWidget(scroll_);
  connect(paper_, &PaperView::figureClicked, this, &ReportDesk::figureAsked);
  connect(paper_, &PaperView::sentenceClicked, this, [this](const QString& key) {
    paper_->choose(key.toStdString());
    emit sentenceChosen(key);
  });
  connect(&session_, &BookSession::rowsChanged, this, &ReportDesk::follow);
  connect(&session_, &BookSession::laidChanged, this, &ReportDesk::follow);
}

/// Made anew where takes or drawing have changed, or the kind; the wish is the book's (undo).
void ReportDesk::follow() {
  if (!isVisible() || !session_.isOpen()) return;
  const Id subject = session_.chosenSubject();
  const Subject* described = session_.subject(subject);
  const std::string kept = session_.document(subject, "report");
  if (subject != subject_ || kept != kept_) {
    subject_ = subject;
    kept_ = kept;
    wish_ = report_wish_from_json(kept);
  }
  std::string what =
      fmt::format("{} {} {}", session_.work().generation(), subject, word_of(wish_.kind));
  if (described != nullptr) what += described->drawing_mark;
  for (const std::string& other : wish_.with) what += "+" + other;
  what += session_.document(subject, "network");
  for (const Take& t : session_.takes())
    if (t.subject_id == subject)
      what += fmt::format("|{} {} {} {}", t.id, t.variant_id, t.accepted, t.name);
  if (what != shown_) {
    shown_ = what;
    made_ = nullptr;
    trouble_.clear();
    if (described != nullptr) return make();
  }
  // What the user wants of what was made: laid anew only where it is something else.
  const std::string wanted = made_ != nullptr ? shown_ + to_json(wish_) : std::string();
  if (wanted != wanted_) {
    wanted_ = wanted;
    report_ = made_ != nullptr ? report_chosen(made_->report, wish_) : Report{};
    lay();
  }
  if (described == nullptr) trouble_ = tr("Choose a subject on the shelf.");
  emit changed();
}

void ReportDesk::make() {
  const Subject* subject = session_.subject(subject_);
  if (making_ || subject == nullptr) return;
  making_ = true;
  emit changed();
  using Made = std::shared_ptr<const MadeReport>;
  work_ = session_.work().start<Made>(
      this, {WorkKind::kJob, WorkScope::kBook, [this](double share) { emit progressed(share); }},
      [path = session_.book().path(), name = subject->name,
       wish = wish_](const WorkContext& context) {
        ReportInput input = report_input(path, name, {}, wish, context.stop);
        input.progress = context.progress;
        input.parallel = context.parallel;
        return made_report(std::move(input)).map([](MadeReport m) {
          return std::make_shared<const MadeReport>(std::move(m));
        });
      },
      [this, of = shown_](const Result<Made>& made) {
        making_ = false;
        if (!made && made.error().code == ErrorCode::kCancelled) {
          // Coming back to the station makes it again.
          shown_.clear();
          trouble_ = tr("Stopped.");
          emit changed();
          return;
        }
        if (of != shown_) return make();
        made_ = made ? *made : nullptr;
        trouble_ = made ? QString() : QString::fromStdString(made.error().message);
        if (made_ == nullptr) paper_->setPaper({}, {}, 1.0);
        follow();
      });
}

void ReportDesk::lay() {
  lay_again_ = laying_;
  if (laying_ || made_ == nullptr) return;
  laying_ = true;
  session_.work().start<Pages>(
      this, {},
      [report = report_, wish = wish_, ratio = devicePixelRatioF()](const WorkContext&) {
        return pages_of(report, wish, ratio);
      },
      [this](Result<Pages> pages) {
        laying_ = false;
        if (lay_again_) return lay();
        if (pages)
          paper_->setPaper(std::move(pages->images), std::move(pages->places), pages->scale);
        else
          emit failed(QString::fromStdString(pages.error().text()));
      });
}

void ReportDesk::change(const ReportWish& wish) {
  if (!session_.isOpen() || subject_ == 0 || wish == wish_) return;
  wish_ = wish;
  kept_ = to_json(wish_);
  if (!session_.book().read_only())
    session_.setDocument(subject_, "report", kept_, "Change the report");
  follow();
}

std::vector<ReportTemplate> ReportDesk::templates() const {
  if (!session_.isOpen()) return {};
  return report_templates_from_json(session_.document(0, "report-templates"));
}

void ReportDesk::keepTemplate(const std::string& name) {
  std::vector<ReportTemplate> all = templates();
  std::erase_if(all, [&](const ReportTemplate& t) { return t.name == name; });
  all.push_back({name, wish_});
  if (session_.isOpen() && !session_.book().read_only())
    session_.setDocument(0, "report-templates", to_json(all), "Keep a report's template");
  emit changed();
}

std::vector<std::string> ReportDesk::otherSubjects() const {
  std::vector<std::string> names;
  if (session_.isOpen())
    for (const Subject& s : session_.subjects())
      if (s.id != subject_) names.push_back(s.name);
  return names;
}

void ReportDesk::reword(const std::string& key, const std::string& words) {
  ReportWish next = wish_;
  std::erase_if(next.edits, [&](const ReportWish::Edit& e) { return e.key == key; });
  if (!words.empty() && made_ != nullptr)
    for (const ReportSection& s : made_->report.sections)
      for (const ReportBlock& block : s.blocks)
        if (const auto* sentence = std::get_if<ReportSentence>(&block);
            sentence != nullptr && sentence->key == key && sentence->text != words)
          next.edits.push_back({key, words, sentence->text});
  change(next);
}

void ReportDesk::write(ReportForm form, const QString& path) {
  if (made_ == nullptr || writing_) return;
  writing_ = true;
  emit changed();
  using Files = std::vector<std::filesystem::path>;
  work_ = session_.work().start<Files>(
      this, {WorkKind::kJob, WorkScope::kBook, [this](double share) { emit progressed(share); }},
      [made = made_, report = report_, wish = wish_, form,
       to = path.toStdString()](const WorkContext& context) {
        return write_report(*made, report, wish, form, to, context.stop);
      },
      [this, path](const Result<Files>& files) {
        writing_ = false;
        if (files)
          emit written(path);
        else if (files.error().code != ErrorCode::kCancelled)
          emit failed(QString::fromStdString(files.error().text()));
        emit changed();
      });
}

void ReportDesk::stop() {
  session_.work().stop(work_);
}

}  // namespace lalometer
