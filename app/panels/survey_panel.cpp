#include "panels/survey_panel.h"

#include <QGridLayout>
#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "report/survey_report.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kNodeRole = Qt::UserRole + 1;
constexpr std::size_t kWasteRows = 200;
constexpr double kFarPlaneLoss = 0.001;  ///< Of a spot's pixels, that nobody misses.

struct Detail {
    const char* name;
    int faceSize;
};
constexpr Detail kDetails[] = {{"Drawn only, no rays", 0},
                               {"Coarse, 128 rays", 128},
                               {"Normal, 256 rays", 256},
                               {"Fine, 384 rays", 384}};

}  // namespace

SurveyPanel::SurveyPanel(Document& document, QWidget* parent)
    : QWidget(parent), document_(document), recorder_(document) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 14, 16, 14);
    layout->setSpacing(8);
    addHeading(layout, tr("Survey"),
               tr("What every place a player can reach costs, in every direction, and what is "
                  "really seen from there."));
    buildSettings(layout);
    buildCamera(layout);
    buildRunButtons(layout);
    addRule(layout);
    buildMeasureChoice(layout);
    buildTables(layout);
    buildKeepButtons(layout);
    layout->addWidget(facts_);
    connect(pages_, &QTabBar::currentChanged, this, &SurveyPanel::turn);
    turn();
    connect(&document.projectModel(), &ProjectModel::changed, this, &SurveyPanel::refresh);
    connect(&themeWatch(), &ThemeWatch::changed, this, [this] {
        refresh();
        refreshSurvey();
    });
    connect(&document.survey(), &SurveyModel::changed, this, &SurveyPanel::refreshSurvey);
    connect(&document, &Document::sceneChanged, this, &SurveyPanel::refresh);
    refresh();
    refreshSurvey();
}

void SurveyPanel::buildSettings(QVBoxLayout* layout) {
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(10);
    where_ = new QComboBox;
    where_->setAccessibleName(tr("Where"));
    where_->setToolTip(
        tr("Ground in reach: surfaces near level that can be walked to from where "
           "the view stands."));
    detail_ = new QComboBox;
    detail_->setAccessibleName(tr("How fine"));
    for (const Detail& detail : kDetails) detail_->addItem(tr(detail.name));
    detail_->setToolTip(
        tr("Rays along the edge of each of the six faces around a spot. More rays "
           "see smaller things and take longer."));
    spacing_ = makeNumber({tr("Spacing"), tr("m"), 0.5, 1000, 1,
                           tr("Between spots; half of it where the load changes quickly.")},
                          this, [this](double value) {
                              change([value](SurveyRequest& request) { request.spacing = value; });
                          });
    eyeHeight_ =
        makeNumber({tr("Eye height"), tr("m"), 0.05, 100, 2, tr("Above the ground.")}, this,
                   [this](double value) {
                       change([value](SurveyRequest& request) { request.eyeHeight = value; });
                   });
    for (QComboBox* box : {where_, detail_}) {
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        box->setMinimumContentsLength(14);
    }
    const auto add = [&](int row, int column, const QString& label, QWidget* field) {
        auto* text = makeFaint(label);
        text->setBuddy(field);
        grid->addWidget(text, row, column);
        grid->addWidget(field, row, column + 1);
    };
    add(0, 0, tr("Where"), where_);
    add(0, 2, tr("Spacing"), spacing_);
    add(1, 0, tr("How fine"), detail_);
    add(1, 2, tr("Eye height"), eyeHeight_);
    grid->setColumnStretch(1, 3);
    grid->setColumnStretch(3, 2);
    layout->addLayout(grid);
    connect(where_, &QComboBox::activated, this, [this](int index) {
        const auto where = static_cast<SurveyRequest::Where>(where_->itemData(index).toInt());
        const std::string node = where_->itemData(index, kNodeRole).toString().toStdString();
        change([=](SurveyRequest& request) {
            request.where = where;
            request.node = node;
        });
    });
    connect(detail_, &QComboBox::activated, this, [this](int index) {
        change([index](SurveyRequest& request) { request.faceSize = kDetails[index].faceSize; });
    });
}

void SurveyPanel::buildRunButtons(QVBoxLayout* layout) {
    auto* row = new QHBoxLayout;
    run_ = makePrimary(tr("Survey"));
    run_->setToolTip(
        tr("Measures every spot. The plan fills in while it runs; cancelling in the "
           "title block keeps what is done."));
    summary_ = makeFaint("");
    summary_->setWordWrap(true);
    record_ = new QPushButton(tr("Record walk"));
    record_->setToolTip(
        tr("Walk through the scene; pressed again, the walk can be surveyed and "
           "played."));
    play_ = new QPushButton(tr("Play"));
    play_->setToolTip(tr("Walks the recorded walk again, with the counters on."));
    row->addWidget(run_);
    row->addWidget(record_);
    row->addWidget(play_);
    row->addStretch(1);
    layout->addLayout(row);
    layout->addWidget(summary_);
    startThere_ = new QPushButton(tr("Stand on the largest ground"));
    startThere_->setToolTip(tr("Then press Survey: spots are found from where you stand."));
    startThere_->hide();
    layout->addWidget(startThere_);
    connect(startThere_, &QPushButton::clicked, this, [this] {
        const std::vector<Ground> starts = document_.survey().surveyed().startsLeft();
        if (!starts.empty()) emit chosen({starts.front().eye, document_.view().heading, 0});
    });
    connect(record_, &QPushButton::clicked, this, [this] {
        if (recorder_.isRecording())
            recorder_.stop();
        else
            recorder_.record();
    });
    connect(play_, &QPushButton::clicked, this, [this] {
        if (recorder_.isPlaying())
            recorder_.stop();
        else
            recorder_.play();
    });
    connect(&recorder_, &WalkRecorder::changed, this, &SurveyPanel::refreshWalk);
    connect(run_, &QPushButton::clicked, this, &SurveyPanel::run);
}

/// A camera that is not the player's eye: its settings show only when it is limited.
void SurveyPanel::buildCamera(QVBoxLayout* layout) {
    limited_ = new QCheckBox(tr("The camera is not the player's eye, or cannot turn freely"));
    limited_->setToolTip(
        tr("For top-down, side and following cameras: places and directions are only those that "
           "this camera reaches, and nobody looks anywhere else."));
    layout->addWidget(limited_);
    camera_ = new QWidget;
    auto* row = new QHBoxLayout(camera_);
    row->setContentsMargins(0, 0, 0, 0);
    const auto add = [&](const NumberField& field, void (*set)(Camera&, double)) {
        auto* number = makeNumber(field, this, [this, set](double value) {
            change([=](SurveyRequest& request) { set(request.camera, value); });
        });
        auto* text = makeFaint(field.label);
        text->setBuddy(number);
        row->addWidget(text);
        row->addWidget(number, 1);
        return number;
    };
    behind_ = add({tr("Behind"), tr("m"), 0, 1000, 1, tr("From the player's eye.")},
                  [](Camera& camera, double value) { camera.distances = {value}; });
    pitch_ = add({tr("Pitch"), tr("°"), -90, 90, 0, tr("-89° looks straight down.")},
                 [](Camera& camera, double value) { camera.pitches = {value}; });
    from_ = add({tr("From"), tr("°"), 0, 360, 0, tr("Headings clockwise from north.")},
                [](Camera& camera, double value) { camera.firstHeading = value; });
    to_ = add({tr("to"), tr("°"), 0, 720, 0, tr("Equal to the first: it never turns.")},
              [](Camera& camera, double value) { camera.lastHeading = value; });
    layout->addWidget(camera_);
    connect(limited_, &QCheckBox::toggled, this, [this](bool on) {
        change([on](SurveyRequest& request) {
            request.camera = {};
            if (!on) return;
            request.camera.distances = {15};
            request.camera.pitches = {-50};
        });
    });
}

void SurveyPanel::buildMeasureChoice(QVBoxLayout* layout) {
    auto* row = new QHBoxLayout;
    measure_ = new QComboBox;
    measure_->setAccessibleName(tr("Measure on plan and strip"));
    measure_->addItem(tr("Worst of all measures"));
    for (const Measure measure : kMeasures) measure_->addItem(measureName(measure));
    row->addWidget(makeFaint(tr("Plan and strip show")));
    row->addWidget(measure_, 1);
    layout->addLayout(row);
    connect(measure_, &QComboBox::activated, this, [this](int index) {
        document_.survey().showMeasure(index == 0 ? std::nullopt
                                                  : std::optional(elementOf(kMeasures, index - 1)));
    });
}

void SurveyPanel::buildTables(QVBoxLayout* layout) {
    facts_ = new QLabel;
    facts_->setWordWrap(true);
    facts_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    facts_->setAccessibleName(tr("What the survey found"));
    pages_ = new QTabBar;
    pages_->setAccessibleName(tr("Lists of the survey"));
    pages_->setDrawBase(false);
    pages_->addTab(tr("Worst views"));
    pages_->addTab(tr("Drawn in vain"));
    pages_->addTab(tr("Textures"));
    pages_->addTab(tr("Kept spots"));
    layout->addWidget(pages_);
    worstTable_ = makeTable({tr("Measure"), tr("Worst"), tr("Median"), tr("Spot"), tr("Load")});
    worstTable_->setAccessibleName(tr("Worst views"));
    wasteTable_ = makeTable({tr("Object"), tr("Triangles a view"), tr("Views")});
    wasteTable_->setAccessibleName(tr("Drawn in vain"));
    textureTable_ = makeTable({tr("Image"), tr("Stored"), tr("Needed"), tr("Saves")});
    textureTable_->setAccessibleName(tr("Textures larger than any view needs"));
    textureTable_->setToolTip(
        tr("Images of which no view shows the finest mip level. Needed: the longer edge that "
           "would show the same."));
    keptTable_ = makeTable({tr("Spot"), tr("Position"), tr("Heading")});
    keptTable_->setAccessibleName(tr("Kept spots"));
    for (QTableWidget* table : {worstTable_, wasteTable_, textureTable_, keptTable_}) {
        layout->addWidget(table, 1);
        connect(table, &QTableWidget::itemSelectionChanged, this,
                [this, table] { choose(table->currentRow()); });
    }
}

void SurveyPanel::buildKeepButtons(QVBoxLayout* layout) {
    auto* buttons = new QHBoxLayout;
    keep_ = new QPushButton(tr("Keep this spot"));
    keep_->setToolTip(tr("Keeps the place where the view stands now."));
    remove_ = new QPushButton(tr("Remove"));
    buttons->addWidget(keep_);
    buttons->addWidget(remove_);
    buttons->addStretch(1);
    layout->addLayout(buttons);
    connect(keep_, &QPushButton::clicked, this, &SurveyPanel::keepSpot);
    connect(remove_, &QPushButton::clicked, this, &SurveyPanel::removeSpot);
}

/// Shows the list of the chosen page.
void SurveyPanel::turn() {
    worstTable_->setVisible(pages_->currentIndex() == Worst);
    wasteTable_->setVisible(pages_->currentIndex() == Waste);
    textureTable_->setVisible(pages_->currentIndex() == Textures);
    keptTable_->setVisible(pages_->currentIndex() == Kept);
    keep_->setVisible(pages_->currentIndex() == Kept);
    remove_->setVisible(pages_->currentIndex() == Kept);
}

void SurveyPanel::change(const std::function<void(SurveyRequest&)>& edit) {
    if (refreshing_) return;
    SurveyRequest request = document_.project().survey;
    edit(request);
    document_.projectModel().setSurvey(request, tr("Survey settings"));
}

void SurveyPanel::run() {
    document_.survey().run();
}

void SurveyPanel::refresh() {
    refreshing_ = true;
    const SurveyRequest& request = document_.project().survey;
    fillWhere();
    spacing_->setValue(request.spacing);
    spacing_->setEnabled(request.where != SurveyRequest::Where::Kept);
    eyeHeight_->setValue(request.eyeHeight);
    limited_->setChecked(!request.camera.isFree());
    camera_->setVisible(!request.camera.isFree());
    behind_->setValue(request.camera.distances.front());
    pitch_->setValue(request.camera.pitches.front());
    from_->setValue(request.camera.firstHeading);
    to_->setValue(request.camera.lastHeading);
    eyeHeight_->setEnabled(request.where == SurveyRequest::Where::Reach ||
                           request.where == SurveyRequest::Where::Area);
    for (int i = 0; i < detail_->count(); ++i)
        if (kDetails[i].faceSize == request.faceSize) detail_->setCurrentIndex(i);
    run_->setEnabled(document_.hasScene());
    refreshing_ = false;
    refreshWalk();
    showKept();
    showWorst();
}

/// The ways to survey that this scene and project offer.
void SurveyPanel::fillWhere() {
    using Where = SurveyRequest::Where;
    const SurveyRequest& request = document_.project().survey;
    where_->clear();
    const auto add = [&](const QString& text, Where where, const std::string& node = "") {
        where_->addItem(text, static_cast<int>(where));
        where_->setItemData(where_->count() - 1, toText(node), kNodeRole);
        if (where == request.where && node == request.node)
            where_->setCurrentIndex(where_->count() - 1);
    };
    add(tr("Ground in reach"), Where::Reach);
    add(tr("Kept spots"), Where::Kept);
    add(tr("Recorded walk"), Where::Walk);
    if (!document_.hasScene()) return;
    for (const Node& node : document_.source()->nodes) {
        if (node.camera >= 0 && animatedPath(*document_.source(), node.name))
            add(tr("Path: %1").arg(toText(node.name)), Where::Path, node.name);
        if (node.mesh >= 0 && toText(node.name).contains("walkable", Qt::CaseInsensitive))
            add(tr("On %1").arg(toText(node.name)), Where::Area, node.name);
    }
}

void SurveyPanel::refreshWalk() {
    record_->setText(recorder_.isRecording() ? tr("Stop recording") : tr("Record walk"));
    record_->setEnabled(document_.hasScene());
    play_->setText(recorder_.isPlaying() ? tr("Stop") : tr("Play"));
    play_->setEnabled(document_.project().walk.size() > 1);
}

void SurveyPanel::refreshSurvey() {
    showWorst();
    if (document_.survey().surveyed().survey != analysed_) analyseSoon();
}

void SurveyPanel::showWorst() {
    const Surveyed& surveyed = document_.survey().surveyed();
    const QSignalBlocker quiet(worstTable_);
    worstViews_.clear();
    if (!surveyed.exists()) {
        worstTable_->setRowCount(0);
        summary_->setText(
            tr("Nothing is surveyed yet: stand where players walk and press Survey."));
        startThere_->hide();
        emit measured(0, 0, {});
        return;
    }
    if (surveyed.after.empty()) return;
    int over = 0;
    for (std::size_t s = 0; s < surveyed.after.size(); ++s) {
        const std::size_t v =
            surveyed.worstView(surveyed.after, s, std::nullopt, document_.target());
        over += surveyed.load(surveyed.after, s, v, std::nullopt, document_.target()) > 1;
    }
    const auto spots = static_cast<int>(surveyed.after.size());
    QString summary =
        surveyed.survey->complete
            ? tr("%1, %2 over.").arg(toCounted(spots, "spot")).arg(over)
            : tr("Stopped: %1 done, %2 over.").arg(toCounted(spots, "spot")).arg(over);
    if (document_.survey().isSurveyingAgain())
        summary += tr(" Looking again where fixes change the view.");
    const std::optional<Coverage>& coverage = surveyed.survey->coverage;
    if (coverage) summary += " " + tr("They cover %1.").arg(toText(coverage->text()));
    const bool isLittle = !surveyed.survey->coversEnough();
    if (isLittle)
        summary +=
            " " +
            tr("That is too little for a verdict, and nothing is concluded from what "
               "they do not see.") +
            (surveyed.startsLeft().empty() ? QString()
                                           : tr(" Plan and picture mark where else to start."));
    startThere_->setVisible(!surveyed.startsLeft().empty());
    summary_->setText(summary);
    emit measured(
        spots, over,
        coverage ? QString("%1 %").arg(std::floor(100 * coverage->share()), 0, 'f', 0) : QString());
    using Row = std::pair<Measure, Surveyed::Extremes>;
    std::vector<Row> rows;
    for (const Measure measure : kMeasures)
        rows.emplace_back(measure, surveyed.extremes(measure, document_.target()));
    std::stable_sort(rows.begin(), rows.end(),
                     [](const Row& a, const Row& b) { return a.second.load > b.second.load; });
    worstTable_->setRowCount(static_cast<int>(rows.size()));
    int r = 0;
    for (const auto& [measure, worst] : rows) {
        const SpotResult& spot = surveyed.survey->spots[worst.spot];
        const Viewpoint& view = spot.views[worst.view];
        setCell(worstTable_, r, 0, measureName(measure), false);
        setCell(worstTable_, r, 1, toText(formatMeasure(measure, worst.value)));
        setCell(worstTable_, r, 2, toText(formatMeasure(measure, worst.median)));
        setCell(worstTable_, r, 3,
                tr("%1, %2°").arg(toText(spot.name)).arg(view.heading, 0, 'f', 0));
        setLoadCell(worstTable_, r++, 4, worst.load);
        worstViews_.push_back(view);
    }
}

void SurveyPanel::analyseSoon() {
    analysed_ = document_.survey().surveyed().survey;
    if (!analysed_) {
        wasteTable_->setRowCount(0);
        textureTable_->setRowCount(0);
        facts_->clear();
        return;
    }
    analyser_.request([this, survey = analysed_,
                       scene = document_.survey().surveyed().scene]() -> std::function<void()> {
        auto analysis = std::make_shared<Analysis>();
        if (survey->hasRays()) {
            analysis->waste = rankWaste(*scene, *survey);
            analysis->unseen = findUnseen(*scene, *survey);
            analysis->farPlane = farPlaneLosses(*survey);
            analysis->textures = findTextureNeeds(*scene, *survey);
        }
        analysis->slowest = slowestView(*survey);
        return [this, analysis, survey] {
            if (survey == analysed_) showAnalysis(*analysis);
        };
    });
}

void SurveyPanel::showAnalysis(const Analysis& analysis) {
    const Target& target = analysed_->target;
    QStringList facts;
    if (analysis.slowest)
        facts << tr("Slowest view: about %1 ms of %2 ms (%3, %4), limited by the %5: %6 over in "
                    "frame time.")
                     .arg(analysis.slowest->cost.milliseconds(), 0, 'f', 1)
                     .arg(target.frameTime(), 0, 'f', 1)
                     .arg(toText(formatLoad(analysis.slowest->load)),
                          target.calibrated ? tr("calibrated") : tr("an estimate"),
                          analysis.slowest->cost.limitedBy(),
                          toCounted(analysis.slowest->spotsOver, "spot"));
    if (document_.survey().surveyed().isOfOtherObjects(*document_.result()))
        facts << tr(
            "Fixes have made other objects since: what is seen is of before. Survey again.");
    if (analysed_->hasRays()) {
        const NeverSeen& unseen = analysis.unseen;
        facts << tr("Never seen: %1, and %2 triangles of others. One more spot would reveal "
                    "about %3 objects; each is seen from less than %4 of such places (95 % "
                    "confidence).")
                     .arg(toCounted(unseen.objects.size(), "object"))
                     .arg(toText(formatCount(static_cast<double>(unseen.triangles))))
                     .arg(unseen.expectedNext, 0, 'f', 1)
                     .arg(toText(formatShare(unseen.shareBound)));
        for (const FarPlaneLoss& loss : analysis.farPlane) {
            if (loss.worstShare > kFarPlaneLoss) continue;
            if (loss.distance >= target.farPlane) break;
            facts << tr("A far plane at %1 would lose %2 and no more than %3 of any spot's "
                        "pixels; it is at %4.")
                         .arg(toText(formatMetres(loss.distance)))
                         .arg(toCounted(loss.objects, "object"))
                         .arg(toText(formatShare(loss.worstShare)),
                              toText(formatMetres(target.farPlane)));
            break;
        }
    }
    facts_->setText(facts.join("\n"));
    const QSignalBlocker quiet(wasteTable_);
    const std::size_t rows = std::min(kWasteRows, analysis.waste.size());
    wasteTable_->setRowCount(static_cast<int>(rows));
    wasted_.clear();
    for (std::size_t i = 0; i < rows; ++i) {
        const ObjectWaste& waste = analysis.waste[i];
        const auto row = static_cast<int>(i);
        const Object& object = document_.survey().surveyed().scene->objects[waste.object];
        setCell(wasteTable_, row, 0, toText(object.name), false);
        setCell(wasteTable_, row, 1, toText(formatCount(waste.triangles)));
        setCell(wasteTable_, row, 2, QString::number(waste.views));
        wasted_.push_back(object.origins.front());
    }
    showTextures(analysis.textures);
}

void SurveyPanel::showTextures(const std::vector<TextureNeed>& needs) {
    textureTable_->setRowCount(static_cast<int>(needs.size()));
    int row = 0;
    for (const TextureNeed& need : needs) {
        const Image& image = document_.survey().surveyed().scene->images[need.image];
        setCell(textureTable_, row, 0, toText(image.name), false);
        setCell(textureTable_, row, 1, tr("%1 x %2").arg(image.width).arg(image.height));
        setCell(textureTable_, row, 2, tr("%1 px").arg(need.edge));
        setCell(textureTable_, row++, 3, toText(formatBytes(need.bytes)));
    }
}

void SurveyPanel::showKept() {
    const QSignalBlocker quiet(keptTable_);
    const auto& spots = document_.project().spots;
    keptTable_->setRowCount(static_cast<int>(spots.size()));
    for (std::size_t i = 0; i < spots.size(); ++i) {
        const auto row = static_cast<int>(i);
        const Vec3d& eye = spots[i].view.eye;
        setCell(keptTable_, row, 0, toText(spots[i].name), false);
        setCell(keptTable_, row, 1,
                tr("%1, %2, %3 m")
                    .arg(eye.x(), 0, 'f', 1)
                    .arg(eye.y(), 0, 'f', 1)
                    .arg(eye.z(), 0, 'f', 1));
        setCell(keptTable_, row, 2, tr("%1°").arg(spots[i].view.heading, 0, 'f', 0));
    }
    remove_->setEnabled(keptTable_->currentRow() >= 0);
    keep_->setEnabled(document_.hasScene());
}

void SurveyPanel::choose(int row) {
    if (row < 0) return;
    const auto index = static_cast<std::size_t>(row);
    if (pages_->currentIndex() == Worst && index < worstViews_.size())
        emit chosen(worstViews_[index]);
    if (pages_->currentIndex() == Waste && index < wasted_.size()) {
        document_.selection().selectObject(static_cast<int>(wasted_[index]));
        emit showRequested();
    }
    if (pages_->currentIndex() == Kept && index < document_.project().spots.size()) {
        remove_->setEnabled(true);
        emit chosen(document_.project().spots[index].view);
    }
}

void SurveyPanel::keepSpot() {
    if (!document_.hasScene()) return;
    std::vector<Spot> spots = document_.project().spots;
    spots.push_back({tr("Spot %1").arg(spots.size() + 1).toStdString(), document_.view()});
    document_.projectModel().setSpots(spots, tr("Keep spot"));
}

void SurveyPanel::removeSpot() {
    std::vector<Spot> spots = document_.project().spots;
    const int row = keptTable_->currentRow();
    if (row < 0 || row >= static_cast<int>(spots.size())) return;
    spots.erase(spots.begin() + row);
    keptTable_->clearSelection();
    keptTable_->setCurrentItem(nullptr);
    document_.projectModel().setSpots(spots, tr("Remove spot"));
}

}  // namespace flentro::app
