#include "panels/proof_panel.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QPointer>

#include "base/index.h"
#include "base/text.h"
#include "widgets/theme.h"

namespace flentro::app {

ProofPanel::ProofPanel(Document& document, View3D& view, QWidget* parent)
    : QWidget(parent),
      document_(document),
      view_(view),
      showing_(new QButtonGroup(this)),
      table_(makeTable({tr("In this view"), tr("Limit"), tr("Before"), tr("After"), tr("Load")})),
      verdict_(new QLabel),
      countBetween_(new QPushButton(tr("Count between the spots"))),
      between_(makeFaint("")),
      levels_(new QComboBox),
      dropEmpty_(new QCheckBox(tr("Leave out empty nodes"))),
      export_(makePrimary(tr("Export ..."))),
      exported_(makeFaint("")) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 14, 16, 14);
    layout->setSpacing(8);
    addHeading(layout, tr("Proof"),
               tr("The same camera on the original and on the result. Drag the "
                  "line; Space swaps."));
    buildComparison(layout);
    buildBetween(layout);
    addRule(layout);
    buildExport(layout);
    layout->addStretch(1);
    connectDocument();
    refresh();
}

void ProofPanel::buildComparison(QVBoxLayout* layout) {
    auto* row = new QHBoxLayout;
    row->setSpacing(0);
    const QString names[] = {tr("Result"), tr("Original"), tr("Swipe")};
    for (int i = 0; i < 3; ++i) {
        auto* button = new QPushButton(names[i]);
        button->setCheckable(true);
        showing_->addButton(button, i);
        row->addWidget(button, 1);
    }
    layout->addLayout(row);
    connect(showing_, &QButtonGroup::idClicked, this,
            [this](int id) { view_.setShowing(static_cast<Showing>(id)); });
    connect(&view_, &View3D::showingChanged, this, &ProofPanel::refresh);
    table_->setAccessibleName(tr("Before and after"));
    table_->setSelectionMode(QAbstractItemView::NoSelection);
    table_->setFocusPolicy(Qt::NoFocus);
    table_->setRowCount(static_cast<int>(kMeasureCount));
    table_->setFixedHeight(28 + 26 * static_cast<int>(kMeasureCount) + 4);
    layout->addWidget(table_);
    verdict_->setWordWrap(true);
    layout->addWidget(verdict_);
}

void ProofPanel::buildBetween(QVBoxLayout* layout) {
    countBetween_->setToolTip(
        tr("Counts the result at places four times as close as the spots of the survey: what is "
           "over there only has been seen by nobody yet. Without rays."));
    layout->addWidget(countBetween_);
    between_->setWordWrap(true);
    between_->setAccessibleName(tr("Between the spots"));
    layout->addWidget(between_);
    connect(countBetween_, &QPushButton::clicked, this, &ProofPanel::countBetween);
    connect(&document_.jobs(), &JobRunner::changed, this, &ProofPanel::refreshBetween);
}

void ProofPanel::buildExport(QVBoxLayout* layout) {
    layout->addWidget(makeFaint(tr("Levels in the exported scene")));
    levels_->addItems(
        {tr("LOD extension (MSFT_lod)"), tr("A named node for every level"), tr("Level 0 only")});
    levels_->setAccessibleName(tr("Levels in the exported scene"));
    layout->addWidget(levels_);
    dropEmpty_->setToolTip(
        tr("Nodes that hold nothing and move nothing. Programs may look some of "
           "them up by name: then leave this off."));
    layout->addWidget(dropEmpty_);
    layout->addWidget(export_);
    exported_->setWordWrap(true);
    layout->addWidget(exported_);
    connect(export_, &QPushButton::clicked, this, [this] { exportResult(); });
}

void ProofPanel::connectDocument() {
    Document& document = document_;
    connect(&document, &Document::exported, this, [this](const QString& file, double bytes) {
        const double before =
            static_cast<double>(QFileInfo(toText(document_.project().scene.string())).size());
        exported_->setText(tr("Wrote %1: %2 (the source has %3), with its manifest beside it.")
                               .arg(QFileInfo(file).fileName(), toText(formatBytes(bytes)),
                                    toText(formatBytes(before))));
    });
    connect(&document, &Document::exportWaiting, this, [this] {
        exported_->setText(tr("The export waits for the work order and begins by itself."));
    });
    connect(&document, &Document::failed, this, [this] {
        if (exported_->text().startsWith(tr("The export waits"))) exported_->clear();
    });
    connect(&document.jobs(), &JobRunner::changed, this, [this] {
        if (!document_.jobs().isRunning()) refresh();
    });
    connect(&document.counter(), &ViewCounter::changed, this, &ProofPanel::refresh);
    connect(&document.projectModel(), &ProjectModel::changed, this, &ProofPanel::refresh);
    connect(&themeWatch(), &ThemeWatch::changed, this, &ProofPanel::refresh);
    connect(&document.survey(), &SurveyModel::changed, this, &ProofPanel::refresh);
    connect(&document, &Document::sceneChanged, exported_, &QLabel::clear);
}

void ProofPanel::restoreChoices(const QSettings& settings) {
    const int levels = settings.value("export/levels", 0).toInt();
    if (levels >= 0 && levels < levels_->count()) levels_->setCurrentIndex(levels);
    dropEmpty_->setChecked(settings.value("export/dropEmptyNodes", false).toBool());
}

void ProofPanel::rememberChoices(QSettings& settings) const {
    settings.setValue("export/levels", levels_->currentIndex());
    settings.setValue("export/dropEmptyNodes", dropEmpty_->isChecked());
}

ExportOptions ProofPanel::options() const {
    static constexpr LevelLayout layouts[] = {LevelLayout::LodExtension, LevelLayout::NamedNodes,
                                              LevelLayout::TopOnly};
    ExportOptions options;
    options.levels = layouts[levels_->currentIndex()];
    options.dropEmptyNodes = dropEmpty_->isChecked();
    return options;
}

void ProofPanel::exportResult(const QString& file) {
    if (!document_.hasScene()) return;
    const QFileInfo source(toText(document_.project().scene.string()));
    const QString proposed = source.dir().filePath(source.completeBaseName() + ".lighter.glb");
    const QString chosen =
        !file.isEmpty()
            ? file
            : QFileDialog::getSaveFileName(this, tr("Export"), proposed, tr("glTF (*.glb *.gltf)"));
    if (!chosen.isEmpty()) document_.exportResult(chosen, options());
}

namespace {

const char* const kCountingBetween = QT_TRANSLATE_NOOP("ProofPanel", "Counting between the spots");

}  // namespace

void ProofPanel::countBetween() {
    const std::shared_ptr<const Survey> survey = document_.survey().surveyed().survey;
    if (!survey || survey->spots.empty()) return;
    document_.jobs().start(
        tr(kCountingBetween),
        [alive = QPointer<ProofPanel>(this), project = document_.project(), survey,
         source = document_.source(),
         result = document_.result()](Progress& progress) -> JobRunner::Finish {
            auto counted = proveBetween(project, *survey, *source, *result, progress);
            if (!counted)
                return [alive, error = counted.error()] {
                    if (alive && error.code != ErrorCode::Cancelled)
                        emit alive->document_.failed(toText(describe(error)));
                };
            const auto shared = std::make_shared<const BetweenProof>(std::move(*counted));
            return [alive, shared, result, survey, target = toJson(project.target).dump()] {
                if (!alive) return;
                alive->counted_ = {*shared, result, survey, target};
                alive->refreshBetween();
            };
        });
}

bool ProofPanel::isBetweenCurrent() const {
    return counted_ && counted_->result == document_.result() &&
           counted_->survey == document_.survey().surveyed().survey &&
           counted_->target == toJson(document_.target()).dump();
}

/// Shows the count between the spots while it belongs to this result, else the button.
void ProofPanel::refreshBetween() {
    const Surveyed& surveyed = document_.survey().surveyed();
    const bool isRunning = document_.jobs().has(tr(kCountingBetween));
    const bool isCurrent = isBetweenCurrent();
    countBetween_->setVisible(surveyed.exists() && !isCurrent);
    countBetween_->setEnabled(!isRunning &&
                              document_.counter().freshness() == ViewCounter::Freshness::Current);
    between_->setVisible(isCurrent);
    if (!isCurrent) return;
    const Proof& proof = counted_->counted.proof;
    const QString where = tr("Between the spots (%1, every %2, %3 headings, without rays): ")
                              .arg(toText(counted(proof.spots.size(), "place")),
                                   toText(formatMetres(counted_->counted.spacing)))
                              .arg(counted_->counted.headings);
    if (proof.overAfter == 0) return between_->setText(where + tr("<b>within every limit</b>."));
    QStringList over;
    for (const MeasureProof& measure : proof.measures)
        if (measure.overAfter > 0)
            over << QString("%1 %2").arg(QString(measureName(measure.after.measure)).toLower(),
                                         toText(formatLoad(measure.after.load)));
    between_->setText(where + tr("<b>%1 over</b>: %2.").arg(proof.overAfter).arg(over.join(", ")));
}

void ProofPanel::refresh() {
    refreshBetween();
    showing_->button(static_cast<int>(view_.showing()))->setChecked(true);
    export_->setEnabled(document_.hasScene());
    if (!document_.hasScene()) return;
    priceSoon();
    const ViewCounter::Freshness fresh = document_.counter().freshness();
    const bool counted = fresh != ViewCounter::Freshness::Nothing;
    const bool current = fresh == ViewCounter::Freshness::Current;
    QStringList over;
    for (int row = 0; row < static_cast<int>(kMeasureCount); ++row) {
        const Measure measure = elementOf(kMeasures, row);
        const double limit = at(document_.target().limits, measure);
        const double after = at(document_.here().after.counts, measure);
        const double load = loadOf(after, limit);
        if (stateOf(load) == State::Over) over << QString(measureName(measure)).toLower();
        const auto value = [&](double v) { return toText(formatMeasure(measure, v)); };
        setCell(table_, row, 0, measureName(measure), false);
        setCell(table_, row, 1, isLimit(limit) ? value(limit) : "-");
        setCell(table_, row, 2,
                counted ? value(at(document_.here().before.counts, measure)) : QString("..."));
        setCell(table_, row, 3, current ? value(after) : QString("..."));
        if (current && isLimit(limit))
            setLoadCell(table_, row, 4, load);
        else
            setCell(table_, row, 4, current ? "-" : "...");
    }
    if (!current)
        return verdict_->setText(
            document_.isOrderStopped()
                ? tr("The work order was stopped before it had a result: nothing is proved. Press "
                     "F5 to go on.")
                : tr("Counting: the work order is still worked out."));
    const QString here =
        over.isEmpty()
            ? tr("<b>Within every limit</b> of %1 from here.").arg(toText(document_.target().name))
            : tr("<b>Over</b> from here in %1.").arg(over.join(", "));
    verdict_->setText(here + " " + surveyedVerdict() + frameVerdict() + price() +
                      tr(" Draw calls: %1%2.")
                          .arg(batchingHelp(document_.target().batching),
                               largestHysteresis(*document_.result()) > 0
                                   ? tr("; levels that stay by hysteresis are not counted")
                                   : QString()));
}

/// How the order changes the light of surveyed views, worked out beside the window.
void ProofPanel::priceSoon() {
    const std::shared_ptr<const Evidence> evidence = document_.survey().evidence();
    const bool isKnown = document_.hasScene() && evidence->lights;
    if (!isKnown) lightChange_.reset();
    if (!isKnown || pricedResult_ == document_.result()) return;
    pricedResult_ = document_.result();
    lightChange_.reset();
    pricer_.request([this, evidence, before = document_.source(),
                     after = document_.result()]() -> std::function<void()> {
        const LightingChange change = lightingChange(*evidence->lights, *before, *after);
        return [this, change, after] {
            if (after != pricedResult_) return;
            lightChange_ = change;
            refresh();
        };
    });
}

/// "Light changes by 17 %, 55 % in the worst view."; empty where that cannot be seen.
QString ProofPanel::price() const {
    constexpr double kSeen = 0.005;
    if (!lightChange_ || pricedResult_ != document_.result() || lightChange_->worst < kSeen)
        return {};
    return " " + tr("Light changes by %1, %2 in the worst view.")
                     .arg(toText(formatShare(lightChange_->mean)),
                          toText(formatShare(lightChange_->worst)));
}

/// Estimated frame time of the slowest surveyed view, if it exceeds the target's.
QString ProofPanel::frameVerdict() const {
    const Surveyed& surveyed = document_.survey().surveyed();
    if (!surveyed.exists() || surveyed.after.size() != surveyed.survey->spots.size()) return {};
    const double load = surveyed.slowestFrame(document_.target());
    if (load <= 1) return {};
    return " " + (document_.target().calibrated
                      ? tr("<b>The slowest frame</b> takes %1 of its time.")
                      : tr("The slowest frame takes about %1 of its time, an estimate."))
                     .arg(toText(formatLoad(load)));
}

/// What the survey says of all places: one place proves nothing for the others.
QString ProofPanel::surveyedVerdict() const {
    const Surveyed& surveyed = document_.survey().surveyed();
    if (!surveyed.exists()) return tr("Other places are not surveyed.");
    if (document_.survey().isSurveyingAgain() ||
        surveyed.after.size() != surveyed.survey->spots.size())
        return tr("The surveyed places are being counted.");
    std::size_t over = 0;
    for (std::size_t spot = 0; spot < surveyed.after.size(); ++spot) {
        const std::size_t view =
            surveyed.worstView(surveyed.after, spot, std::nullopt, document_.target());
        over += stateOf(surveyed.load(surveyed.after, spot, view, std::nullopt,
                                      document_.target())) == State::Over;
    }
    const std::optional<Coverage>& coverage = surveyed.survey->coverage;
    const QString covering =
        coverage ? tr(", which cover %1").arg(toText(coverage->text())) : QString();
    if (over > 0)
        return tr("<b>Over</b> at %1 of %2 surveyed places%3.")
            .arg(over)
            .arg(surveyed.after.size())
            .arg(covering);
    if (!surveyed.survey->coversEnough())
        return tr("Within them at %1 surveyed places%2: too little for a verdict.")
            .arg(surveyed.after.size())
            .arg(covering);
    return tr("Within them at all %1 surveyed places%2.").arg(surveyed.after.size()).arg(covering);
}

}  // namespace flentro::app
