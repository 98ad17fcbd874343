#include "instruments/ladder_instrument.h"

#include <QGridLayout>
#include <QPointer>
#include <QSignalBlocker>

#include "base/index.h"
#include "base/text.h"
#include "fixes/ladder/seen_weights.h"
#include "measure/viewcost.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kMaxCopies = 9999;

QComboBox* makeChoice(const QString& name, const QStringList& entries, const QString& tip) {
    auto* box = new QComboBox;
    box->addItems(entries);
    box->setAccessibleName(name);
    box->setToolTip(tip);
    box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    box->setMinimumContentsLength(7);
    return box;
}

/// What one set of levels comes to, here and in memory.
struct Standing {
    std::size_t levels = 0;
    std::size_t lowerTriangles = 0;  ///< Of all levels below the finest.
    Counts here{};
};

Standing standingOf(const Scene& scene, const Target& target, const Viewpoint& view) {
    Standing standing;
    for (const Asset& asset : scene.assets)
        for (const Ladder::Level& level : asset.ladder.levels) {
            ++standing.levels;
            standing.lowerTriangles += level.mesh->triangles;
        }
    standing.here = viewCost(scene, target, view).counts;
    return standing;
}

}  // namespace

LadderInstrument::LadderInstrument(Document& document, QWidget* parent)
    : FixInstrument(document, parent),
      assets_(new QComboBox),
      importance_(makeChoice(tr("Importance"),
                             {tr("hero"), tr("normal"), tr("backdrop"), tr("keep")},
                             tr("How much fixes may take from this asset. Hero: half the visible "
                                "change; backdrop: twice; keep: it stays as it is."))),
      tabs_(new QTabBar),
      pages_(new QStackedWidget),
      plot_(new LadderPlot),
      looks_(new LevelLooks),
      reading_(makeFaint("")),
      reset_(new QPushButton(tr("Reset"))),
      form_(new FixForm(document, LadderSettings::kind(), {}, 2)),
      byHand_(new FixForm(document, LadderSettings::kind(), "By hand", 2)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    assets_->setAccessibleName(tr("Asset"));
    assets_->setMaxVisibleItems(20);
    assets_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    auto* row = new QHBoxLayout;
    row->addWidget(makeFaint(tr("Asset")));
    row->addWidget(assets_, 1);
    row->addWidget(importance_);
    layout->addLayout(row);
    tabs_->setAccessibleName(tr("Pages of the ladder"));
    tabs_->setDrawBase(false);
    for (const QString& name :
         {tr("Distances"), tr("Looks"), tr("Settings"), tr("By hand"), tr("Compare")})
        tabs_->addTab(name);
    layout->addWidget(tabs_);
    pages_->addWidget(makeDistances());
    pages_->addWidget(looks_);
    pages_->addWidget(makeSettings());
    pages_->addWidget(byHand_);
    pages_->addWidget(makeComparison());
    layout->addWidget(pages_, 1);
    connect(looks_, &LevelLooks::yardRequested, this, &LadderInstrument::openYard);
    connect(tabs_, &QTabBar::currentChanged, pages_, &QStackedWidget::setCurrentIndex);
    connect(assets_, &QComboBox::activated, this,
            [this](int index) { setAsset(assets_->itemData(index).toString()); });
    connect(importance_, &QComboBox::activated, this,
            [this](int index) { mark(static_cast<Importance>(index)); });
    connect(&document.survey(), &SurveyModel::changed, this, [this] {
        const LadderSettings* now = settings();
        if (!now) return;
        quietly([&] { refreshSettings(*now); });
    });
}

QWidget* LadderInstrument::makeDistances() {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    layout->addWidget(plot_, 1);
    auto* row = new QHBoxLayout;
    row->addWidget(makeFaint(tr("Most")));
    for (int level = 0; level < 2; ++level) {
        auto* box = new QSpinBox;
        box->setRange(0, kMaxCopies);
        box->setFixedWidth(58);
        box->setSpecialValueText(tr("all"));
        box->setAccessibleName(tr("Copies at LOD %1 at once").arg(level));
        box->setToolTip(tr("For crowds: only so many copies, the nearest, show LOD %1 at once; "
                           "the others show the next level.")
                            .arg(level));
        box->setKeyboardTracking(false);
        row->addWidget(box);
        row->addWidget(makeFaint(level == 0 ? tr("LOD 0,") : tr("LOD 1")));
        connect(box, &QSpinBox::valueChanged, this, &LadderInstrument::keepCaps);
        elementOf(caps_, level) = box;
    }
    crowd_ = new QLineEdit;
    crowd_->setPlaceholderText(tr("crowd"));
    crowd_->setMinimumWidth(40);
    crowd_->setAccessibleName(tr("Crowd"));
    crowd_->setToolTip(tr("Assets that name the same crowd fill the same caps together."));
    connect(crowd_, &QLineEdit::editingFinished, this, &LadderInstrument::keepCrowd);
    row->addWidget(crowd_, 1);
    row->addWidget(reset_);
    layout->addLayout(row);
    reading_->setWordWrap(true);
    reading_->setTextFormat(Qt::RichText);
    layout->addWidget(reading_);
    reset_->setToolTip(tr("Forget what was changed by hand for this asset."));
    connect(reset_, &QPushButton::clicked, this, [this] {
        change(tr("Computed distances"), [this](LadderSettings& settings) {
            settings.overrides.erase(asset_.toStdString());
        });
    });
    connect(plot_, &Plot::handleMoved, this, [this](int post, double x, double) {
        plot_->movePost(static_cast<std::size_t>(post), x);
    });
    connect(plot_, &Plot::handleReleased, this, &LadderInstrument::keepPosts);
    return page;
}

QWidget* LadderInstrument::makeSettings() {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    layout->addWidget(form_);
    layout->addLayout(makeWeights());
    layout->addStretch(1);
    return page;
}

QLayout* LadderInstrument::makeWeights() {
    auto* row = new QHBoxLayout;
    weigh_ = new QPushButton(tr("Weigh by survey"));
    forgetWeights_ = new QPushButton(tr("Forget"));
    weightsText_ = makeFaint("");
    weightsText_->setWordWrap(true);
    row->addWidget(weigh_);
    row->addWidget(forgetWeights_);
    row->addWidget(weightsText_, 1);
    weigh_->setToolTip(
        tr("What the present survey saw large keeps its triangles; what no view can "
           "see loses them first. Kept in this fix by mesh."));
    connect(weigh_, &QPushButton::clicked, this, &LadderInstrument::takeSeenWeights);
    connect(forgetWeights_, &QPushButton::clicked, this, [this] {
        change(tr("Ladder: forget what was seen"), [](LadderSettings& s) { s.weights.clear(); });
    });
    return row;
}

/// Of the meshes that this fix reduces; those that it had changed when the survey was made are
/// not among them.
void LadderInstrument::takeSeenWeights() {
    const Surveyed& surveyed = document_.survey().surveyed();
    const ScenePtr input = document_.evaluator().doneBy(fix_).before;
    if (!surveyed.exists() || !surveyed.survey->hasRays() || !input) return;
    document_.jobs().start(
        tr("Weighing triangles"),
        [self = QPointer<LadderInstrument>(this), scene = surveyed.scene, survey = surveyed.survey,
         input, fix = fix_](Progress&) -> JobRunner::Finish {
            std::vector<MeshRuns> weights = takeWeights(*scene, *survey);
            std::erase_if(weights, [&](const MeshRuns& w) {
                return std::none_of(input->assets.begin(), input->assets.end(),
                                    [&](const Asset& asset) { return asset.mesh->hash == w.mesh; });
            });
            return [self, fix, weights = std::move(weights)] {
                if (self) self->adoptWeights(fix, weights);
            };
        });
}

void LadderInstrument::adoptWeights(int fix, const std::vector<MeshRuns>& weights) {
    if (weights.empty())
        return weightsText_->setText(
            tr("The survey saw other meshes: switch this fix off, survey, "
               "and switch it on again."));
    document_.projectModel().changeFix<LadderSettings>(
        fix, tr("Ladder: weigh by survey"), [&](LadderSettings& s) { s.weights = weights; });
}

QWidget* LadderInstrument::makeComparison() {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 4, 0, 0);
    auto* row = new QHBoxLayout;
    auto* hold = new QPushButton(tr("Hold to compare"));
    hold->setToolTip(tr("Keeps these settings and their levels beside those you try next."));
    swap_ = new QPushButton(tr("Swap with held"));
    swap_->setEnabled(false);
    row->addWidget(hold);
    row->addWidget(swap_);
    row->addStretch(1);
    comparison_ = makeFaint("");
    comparison_->setWordWrap(true);
    comparison_->setAccessibleName(tr("Now and held"));
    comparison_->setTextFormat(Qt::RichText);
    layout->addLayout(row);
    layout->addWidget(comparison_);
    layout->addStretch(1);
    connect(hold, &QPushButton::clicked, this, &LadderInstrument::hold);
    connect(swap_, &QPushButton::clicked, this, &LadderInstrument::swapHeld);
    return page;
}

void LadderInstrument::setAsset(const QString& name) {
    asset_ = name;
    refresh();
}

void LadderInstrument::mark(Importance importance) {
    if (refreshing_ || asset_.isEmpty()) return;
    WorkOrder order = document_.project().order;
    order.importance[asset_.toStdString()] = importance;
    if (importance == Importance::Normal) order.importance.erase(asset_.toStdString());
    document_.projectModel().setOrder(order,
                                      tr("Mark %1 as %2").arg(asset_, importanceName(importance)));
}

void LadderInstrument::keepPosts() {
    change(tr("Drag switch distance of %1").arg(asset_), [this](LadderSettings& settings) {
        settings.overrides[asset_.toStdString()].switchDistances = plot_->posts();
    });
}

void LadderInstrument::keepCaps() {
    change(tr("Cap copies of %1").arg(asset_), [this](LadderSettings& settings) {
        std::vector<int>& caps = settings.overrides[asset_.toStdString()].caps;
        caps.clear();
        for (const QSpinBox* box : caps_)
            caps.push_back(box->value() == 0 ? kMaxCopies : box->value());
        while (!caps.empty() && caps.back() == kMaxCopies) caps.pop_back();
    });
}

void LadderInstrument::keepCrowd() {
    const auto* now = settings();
    const std::string name = crowd_->text().trimmed().toStdString();
    if (!now || asset_.isEmpty()) return;
    const auto found = now->overrides.find(asset_.toStdString());
    if ((found == now->overrides.end() ? std::string() : found->second.crowd) == name) return;
    change(tr("Crowd of %1").arg(asset_), [&](LadderSettings& settings) {
        settings.overrides[asset_.toStdString()].crowd = name;
    });
}

void LadderInstrument::openYard() {
    const auto [before, after, record, step] = document_.evaluator().doneBy(fix_);
    if (!after) return;
    for (std::size_t i = 0; i < after->assets.size(); ++i) {
        if (toText(after->assets[i].mesh->name) != asset_) continue;
        if (!yard_) yard_ = new YardDialog(document_, this);
        yard_->setAsset(after, i, before->assets[i].mesh);
        yard_->show();
        yard_->raise();
    }
}

void LadderInstrument::hold() {
    if (!settings()) return;
    held_ = Held{*settings(), document_.evaluator().doneBy(fix_).after};
    refresh();
}

void LadderInstrument::swapHeld() {
    if (!held_) return;
    const LadderSettings other = held_->settings;
    hold();
    change(tr("Swap ladder settings"), [&](LadderSettings& settings) { settings = other; });
}

/// Assets with levels, most triangles first; the one chosen stays in the list.
void LadderInstrument::refreshAssets(const Scene& scene) {
    std::vector<const Asset*> listed;
    for (const Asset& asset : scene.assets)
        if (!asset.ladder.empty() || toText(asset.mesh->name) == asset_) listed.push_back(&asset);
    std::stable_sort(listed.begin(), listed.end(), [](const Asset* a, const Asset* b) {
        return a->mesh->triangles > b->mesh->triangles;
    });
    const QSignalBlocker quiet(assets_);
    assets_->clear();
    for (const Asset* asset : listed)
        assets_->addItem(
            asset->ladder.empty()
                ? tr("%1   (no levels)").arg(toText(asset->mesh->name))
                : tr("%1   (%2)")
                      .arg(toText(asset->mesh->name), toCounted(asset->levelCount(), "level")),
            toText(asset->mesh->name));
    int index = assets_->findData(asset_);
    if (index < 0 && assets_->count() > 0) asset_ = assets_->itemData(index = 0).toString();
    assets_->setCurrentIndex(index);
}

void LadderInstrument::refreshSettings(const LadderSettings& now) {
    const Fix& fix = *document_.project().order.find(fix_);
    form_->show(fix);
    byHand_->show(fix);
    const auto change = now.overrides.find(asset_.toStdString());
    reset_->setEnabled(change != now.overrides.end());
    for (std::size_t i = 0; i < caps_.size(); ++i) {
        const bool has = change != now.overrides.end() && i < change->second.caps.size() &&
                         change->second.caps[i] < kMaxCopies;
        caps_[i]->setValue(has ? change->second.caps[i] : 0);
    }
    crowd_->setText(change == now.overrides.end() ? QString() : toText(change->second.crowd));
    const bool surveyed =
        document_.survey().surveyed().exists() && document_.survey().surveyed().survey->hasRays();
    weigh_->setEnabled(surveyed);
    forgetWeights_->setEnabled(!now.weights.empty());
    weightsText_->setText(!now.weights.empty()
                              ? tr("of %1").arg(toCounted(now.weights.size(), "mesh", "meshes"))
                          : surveyed ? QString()
                                     : tr("Needs a survey with rays."));
    const auto& marks = document_.project().order.importance;
    const auto found = marks.find(asset_.toStdString());
    importance_->setCurrentIndex(
        static_cast<int>(found == marks.end() ? Importance::Normal : found->second));
}

void LadderInstrument::refresh() {
    const LadderSettings* now = settings();
    if (!now) return;
    const auto [before, after, record, step] = document_.evaluator().doneBy(fix_);
    if (after) refreshAssets(*after);
    quietly([&] { refreshSettings(*now); });
    plot_->setVisible(after != nullptr);
    refreshComparison(after);
    if (!after) {
        looks_->clear();
        reading_->setText(document_.jobs().isRunning()
                              ? tr("Making levels ...")
                              : tr("This fix is off: switch it on to see its levels."));
        return;
    }
    for (std::size_t i = 0; i < after->assets.size(); ++i)
        if (toText(after->assets[i].mesh->name) == asset_)
            looks_->setAsset(before, after, i, document_.target());
    refreshAsset(after, *now);
}

double LadderInstrument::nearestCopy(const std::string& asset) const {
    double nearest = 0;
    const ViewCounts& here = document_.here();
    for (const DrawnObject& drawn : here.after.drawn) {
        const Object& object = here.result->objects[drawn.object];
        if (here.result->mesh(object).name != asset) continue;
        const double d = static_cast<double>(drawn.distance) / object.scale;
        nearest = nearest == 0 ? d : std::min(nearest, d);
    }
    return nearest;
}

void LadderInstrument::refreshAsset(const ScenePtr& scene, const LadderSettings& now) {
    const std::string name = asset_.toStdString();
    const auto named = [&](const Scene& in) -> const Asset* {
        for (const Asset& asset : in.assets)
            if (asset.mesh->name == name) return &asset;
        return nullptr;
    };
    const Asset* asset = named(*scene);
    if (!asset) return;
    const Asset* held = held_ && held_->scene ? named(*held_->scene) : nullptr;
    plot_->show(*asset, held, document_.target(), nearestCopy(name));
    QString text = tr("<b>Ink</b>: triangles. <font color='%1'>Plum</font>: deviation. "
                      "<font color='%2'>Blue, dashed</font>: px² per triangle. ")
                       .arg(theme().over.name(), theme().within.name());
    if (held) text += tr("<font color='%1'>Ochre, dashed</font>: held. ").arg(theme().near.name());
    if (asset->ladder.empty()) {
        reading_->setText(text + (asset->importance == Importance::Keep
                                      ? tr("Marked as keep: it gets no levels.")
                                      : tr("It could not be reduced.")));
        return;
    }
    const Ladder::Level& last = asset->ladder.levels.back();
    text +=
        tr("LOD 0 has %1 triangles; LOD %2 has %3 from %4, within %5.")
            .arg(toText(formatCount(static_cast<double>(asset->mesh->triangles))))
            .arg(asset->ladder.levels.size())
            .arg(toText(formatCount(static_cast<double>(last.mesh->triangles))),
                 toText(formatMetres(last.switchDistance)), toText(formatMetres(last.deviation)));
    text += tr(" Its normals are off by %1°, its texture by %2 in the mean.")
                .arg(last.normalError, 0, 'f', 1)
                .arg(toText(formatMetres(last.textureSlide)));
    if (now.hysteresis > 0)
        text += tr(" It returns at %1.")
                    .arg(toText(formatMetres(last.switchDistance * (1 - now.hysteresis))));
    reading_->setText(text);
}

void LadderInstrument::refreshComparison(const ScenePtr& scene) {
    swap_->setEnabled(held_.has_value());
    if (!held_ || !held_->scene || !scene) {
        comparison_->setText(tr(
            "Hold the settings as they are, change them on their page, and both are shown here and "
            "in the plot of distances."));
        return;
    }
    comparer_.request([this, now = scene, then = held_->scene, target = document_.target(),
                       view = document_.view()]() -> std::function<void()> {
        const Standing a = standingOf(*now, target, view);
        const Standing b = standingOf(*then, target, view);
        return [this, a, b, target] {
            const auto row = [](const QString& name, const QString& left, const QString& right) {
                return QString(
                           "<tr><td>%1&nbsp;&nbsp;</td><td align='right'>%2&nbsp;&nbsp;</td>"
                           "<td align='right'>%3</td></tr>")
                    .arg(name, left, right);
            };
            const auto count = [](double value) { return toText(formatCount(value)); };
            const auto load = [&](const Standing& s, Measure measure) {
                return tr("%1 (%2)").arg(count(at(s.here, measure)),
                                         toText(formatLoad(at(loads(s.here, target), measure))));
            };
            comparison_->setText("<table>" + row("", tr("now"), tr("held")) +
                                 row(tr("levels"), count(static_cast<double>(a.levels)),
                                     count(static_cast<double>(b.levels))) +
                                 row(tr("triangles in them"),
                                     count(static_cast<double>(a.lowerTriangles)),
                                     count(static_cast<double>(b.lowerTriangles))) +
                                 row(tr("triangles here"), load(a, Measure::Triangles),
                                     load(b, Measure::Triangles)) +
                                 row(tr("draw calls here"), load(a, Measure::DrawCalls),
                                     load(b, Measure::DrawCalls)) +
                                 "</table>");
        };
    });
}

}  // namespace flentro::app
