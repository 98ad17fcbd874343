#include "instruments/ladder_instrument.h"

#include <QGridLayout>
#include <cmath>

#include "base/text.h"
#include "theme.h"
#include "view/lens.h"

namespace flentro::app {
namespace {

constexpr double kGrip = 7;             ///< Pixels beside a post that take hold of it.
constexpr double kNearest = 0.5;        ///< Metres at the left end of the axis.
constexpr double kClosestPosts = 1.02;  ///< Posts keep this ratio to their neighbours.

/// Surface seen of one copy, roughly: half the faces, in pixels at one metre.
double pixelsAtOneMetre(const Mesh& mesh, const Target& target) {
    const Vec3d size = mesh.bounds.isEmpty() ? Vec3d::Zero() : Vec3d(mesh.bounds.sizes());
    const double area = size.x() * size.y() + size.y() * size.z() + size.z() * size.x();
    const double scale = pixelsPerMetreAtOne(target);
    return area / 3 * scale * scale;
}

}  // namespace

// --- plot ---------------------------------------------------------------------------------

LadderPlot::LadderPlot(QWidget* parent) : Plot(parent) {
    setAccessibleName(tr("Ladder"));
    useLogScale(xAxis);
    useLogScale(yAxis);
    useLogScale(yAxis2);
    yAxis2->setVisible(true);
    triangles_ = addGraph();
    deviation_ = addGraph(xAxis, yAxis2);
    density_ = addGraph(xAxis, yAxis2);
    triangles_->setLineStyle(QCPGraph::lsStepLeft);
    setAxes(tr("distance, m"), tr("triangles of one copy"));
    yAxis2->setNumberFormat("g");
    yAxis2->setNumberPrecision(3);
    yAxis2->setLabel(tr("px, px²"));
    LadderPlot::restyle();
}

void LadderPlot::restyle() {
    Plot::restyle();
    if (!triangles_) return;
    triangles_->setPen(QPen(theme().ink, 2));
    deviation_->setPen(QPen(theme().over, 1.5));
    density_->setPen(QPen(theme().within, 1.5, Qt::DashLine));
    redraw();
}

void LadderPlot::show(const Asset& asset, const Target& target, double pixels, double distance) {
    asset_ = asset;
    target_ = target;
    pixels_ = pixels;
    here_ = distance;
    posts_.clear();
    for (const Ladder::Level& level : asset.ladder.levels) posts_.push_back(level.switchDistance);
    redraw();
}

void LadderPlot::movePost(std::size_t post, double distance) {
    const double low = post == 0 ? kNearest : posts_[post - 1] * kClosestPosts;
    const double high =
        post + 1 < posts_.size() ? posts_[post + 1] / kClosestPosts : target_.farPlane;
    if (low > high) return;
    posts_[post] = std::clamp(distance, low, high);
    redraw();
}

QPointF LadderPlot::postPixel(std::size_t post) const {
    return {xAxis->coordToPixel(posts_[post]), axisRect()->center().y() * 1.0};
}

int LadderPlot::handleAt(const QPointF& pixel) const {
    for (std::size_t i = 0; i < posts_.size(); ++i)
        if (std::fabs(xAxis->coordToPixel(posts_[i]) - pixel.x()) <= kGrip)
            return static_cast<int>(i);
    return -1;
}

void LadderPlot::redraw() {
    if (!asset_.mesh) return;
    clearItems();
    const double scale = pixelsPerMetreAtOne(target_);
    QVector<double> x, count, deviation, density;
    const double surface = pixelsAtOneMetre(*asset_.mesh, target_);
    constexpr int kSamples = 160;
    const double reach = target_.farPlane;
    for (int i = 0; i <= kSamples; ++i) {
        const double d = kNearest * std::pow(reach / kNearest, static_cast<double>(i) / kSamples);
        std::size_t level = 0;
        while (level < posts_.size() && posts_[level] <= d) ++level;
        const auto triangles = static_cast<double>(asset_.level(level)->triangles);
        const double error = level == 0 ? 0 : asset_.ladder.levels[level - 1].deviation;
        x.push_back(d);
        count.push_back(std::max(1.0, triangles));
        deviation.push_back(std::max(1e-4, error * scale / d));
        density.push_back(std::max(1e-4, surface / (d * d) / std::max(1.0, triangles)));
    }
    triangles_->setData(x, count, true);
    deviation_->setData(x, deviation, true);
    density_->setData(x, density, true);
    xAxis->setRange(kNearest, reach);
    yAxis->setRange(5, std::max(100.0, static_cast<double>(asset_.mesh->triangles) * 4));
    yAxis2->setRange(0.05, 1000);
    for (std::size_t i = 0; i < posts_.size(); ++i) {
        auto* line = new QCPItemStraightLine(this);
        line->point1->setCoords(posts_[i], 1);
        line->point2->setCoords(posts_[i], 10);
        line->setPen(QPen(levelColor(i + 1), 2));
        auto* label = new QCPItemText(this);
        label->position->setTypeX(QCPItemPosition::ptPlotCoords);
        label->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
        label->position->setCoords(posts_[i], 0.01 + 0.09 * static_cast<double>(i % 3));
        label->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
        label->setText(QString(" LOD %1").arg(i + 1));
        label->setFont(textFont(10));
        label->setColor(theme().ink);
    }
    if (here_ > kNearest) {
        auto* line = new QCPItemStraightLine(this);
        line->point1->setCoords(here_, 1);
        line->point2->setCoords(here_, 10);
        line->setPen(QPen(theme().faint, 1, Qt::DotLine));
    }
    replot(QCustomPlot::rpQueuedReplot);
}

// --- instrument ---------------------------------------------------------------------------

LadderInstrument::LadderInstrument(Document& document, QWidget* parent)
    : QWidget(parent),
      document_(document),
      assets_(new QComboBox),
      plot_(new LadderPlot),
      reading_(makeFaint("")),
      reset_(new QPushButton(tr("Computed distances"))) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    addSettings(layout);
    assets_->setAccessibleName(tr("Asset"));
    assets_->setMaxVisibleItems(20);
    auto* row = new QHBoxLayout;
    row->addWidget(makeFaint(tr("Asset")));
    row->addWidget(assets_, 1);
    row->addWidget(reset_);
    layout->addLayout(row);
    layout->addWidget(plot_, 1);
    reading_->setWordWrap(true);
    reading_->setTextFormat(Qt::RichText);
    layout->addWidget(reading_);
    reset_->setToolTip(tr("Forget the distances that were dragged by hand for this asset."));
    connect(reset_, &QPushButton::clicked, this, [this] {
        change(tr("Computed distances"), [this](LadderSettings& settings) {
            settings.overrides.erase(asset_.toStdString());
        });
    });
    connect(assets_, &QComboBox::activated, this,
            [this](int index) { setAsset(assets_->itemData(index).toString()); });
    connect(plot_, &Plot::handleMoved, this, [this](int post, double x, double) {
        plot_->movePost(static_cast<std::size_t>(post), x);
    });
    connect(plot_, &Plot::handleReleased, this, &LadderInstrument::keepPosts);
    connect(&document, &Document::resultChanged, this, &LadderInstrument::refresh);
    connect(&document, &Document::projectChanged, this, &LadderInstrument::refresh);
}

void LadderInstrument::addSettings(QVBoxLayout* layout) {
    struct Entry {
        NumberField field;
        std::function<double(const LadderSettings&)> get;
        std::function<void(LadderSettings&, double)> set;
    };
    const std::vector<Entry> entries = {
        {{tr("Levels"), "", 1, 8, 0, tr("Lower levels at the most.")},
         [](const auto& s) { return s.levels; },
         [](auto& s, double v) { s.levels = static_cast<int>(v); }},
        {{tr("Ratio"), "", 0.05, 0.9, 2, tr("Triangles of a level to those of the one before.")},
         [](const auto& s) { return s.ratio; },
         [](auto& s, double v) { s.ratio = v; }},
        {{tr("Deviation"), "px", 0.1, 50, 1,
          tr("On the target's display, where a level takes over.")},
         [](const auto& s) { return s.pixels; },
         [](auto& s, double v) { s.pixels = v; }},
        {{tr("Smallest face"), "px²", 0, 1000, 1,
          tr("A level takes over at the latest where triangles are this small; 0: only the "
             "deviation counts.")},
         [](const auto& s) { return s.trianglePixels; },
         [](auto& s, double v) { s.trianglePixels = v; }},
        {{tr("Gain"), "", 0.01, 0.9, 2, tr("Share of the triangles that a level must save.")},
         [](const auto& s) { return s.gain; },
         [](auto& s, double v) { s.gain = v; }},
        {{tr("Nearest"), "m", 0.1, 1000, 1,
          tr("From here level 0 must look right; finer detail is taken away.")},
         [](const auto& s) { return s.nearest; },
         [](auto& s, double v) { s.nearest = v; }}};
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(8);
    for (std::size_t i = 0; i < entries.size(); ++i) {
        const Entry& entry = entries[i];
        QDoubleSpinBox* box = makeNumber(entry.field, this, [this, entry](double value) {
            change(tr("Ladder: %1").arg(entry.field.label.toLower()),
                   [&](LadderSettings& settings) { entry.set(settings, value); });
        });
        fields_.emplace_back(box, entry.get);
        grid->addWidget(makeFaint(entry.field.label), static_cast<int>(i / 2),
                        static_cast<int>(i % 2) * 2);
        grid->addWidget(box, static_cast<int>(i / 2), static_cast<int>(i % 2) * 2 + 1);
    }
    layout->addLayout(grid);
}

const LadderSettings* LadderInstrument::settings() const {
    const Fix* fix = document_.project().order.find(fix_);
    return fix ? std::get_if<LadderSettings>(&fix->settings) : nullptr;
}

const Scene* LadderInstrument::stepScene() const {
    for (const Step& step : document_.evaluation().steps)
        if (step.fix == fix_) return &step.result->scene;
    return nullptr;
}

void LadderInstrument::setFix(int id) {
    fix_ = id;
    refresh();
}

void LadderInstrument::setAsset(const QString& name) {
    asset_ = name;
    refresh();
}

void LadderInstrument::change(const QString& text,
                              const std::function<void(LadderSettings&)>& apply) {
    if (refreshing_ || !settings()) return;
    WorkOrder order = document_.project().order;
    apply(std::get<LadderSettings>(order.find(fix_)->settings));
    document_.setOrder(order, text);
}

void LadderInstrument::keepPosts() {
    change(tr("Drag switch distance of %1").arg(asset_), [this](LadderSettings& settings) {
        settings.overrides[asset_.toStdString()].switchDistances = plot_->posts();
    });
}

/// Assets with levels, most triangles first.
void LadderInstrument::refreshAssets(const Scene& scene) {
    std::vector<const Asset*> laddered;
    for (const Asset& asset : scene.assets)
        if (!asset.ladder.empty()) laddered.push_back(&asset);
    std::stable_sort(laddered.begin(), laddered.end(), [](const Asset* a, const Asset* b) {
        return a->mesh->triangles > b->mesh->triangles;
    });
    assets_->clear();
    for (const Asset* asset : laddered)
        assets_->addItem(
            tr("%1   (%2 levels)").arg(toText(asset->mesh->name)).arg(asset->levelCount()),
            toText(asset->mesh->name));
    int index = assets_->findData(asset_);
    if (index < 0 && assets_->count() > 0) asset_ = assets_->itemData(index = 0).toString();
    assets_->setCurrentIndex(index);
}

void LadderInstrument::refresh() {
    const LadderSettings* now = settings();
    if (!now) return;
    refreshing_ = true;
    for (auto& [box, get] : fields_) box->setValue(get(*now));
    refreshing_ = false;
    const auto change = now->overrides.find(asset_.toStdString());
    reset_->setEnabled(change != now->overrides.end());
    const Scene* scene = stepScene();
    plot_->setVisible(scene != nullptr);
    if (!scene) {
        reading_->setText(document_.jobs().isRunning()
                              ? tr("Making levels ...")
                              : tr("This fix is off: switch it on to see its levels."));
        return;
    }
    refreshAssets(*scene);
    for (const Asset& asset : scene->assets) {
        if (toText(asset.mesh->name) != asset_ || asset.ladder.empty()) continue;
        double nearest = 0;
        for (const DrawnObject& drawn : document_.here().after.drawn) {
            const Object& object = document_.result()->objects[drawn.object];
            if (document_.result()->mesh(object).name != asset.mesh->name) continue;
            const double d = static_cast<double>(drawn.distance) / object.scale;
            nearest = nearest == 0 ? d : std::min(nearest, d);
        }
        plot_->show(asset, document_.target(), now->pixels, nearest);
        QString text = tr("<b>Ink</b>: triangles. <font color='%1'>Plum</font>: deviation. "
                          "<font color='%2'>Blue, dashed</font>: px² per triangle. ")
                           .arg(theme().over.name(), theme().within.name());
        const Ladder::Level& last = asset.ladder.levels.back();
        text += tr("LOD 0 has %1 triangles; LOD %2 has %3 from %4, within %5 of the original.")
                    .arg(toText(formatCount(static_cast<double>(asset.mesh->triangles))))
                    .arg(asset.ladder.levels.size())
                    .arg(toText(formatCount(static_cast<double>(last.mesh->triangles))),
                         toText(formatMetres(last.switchDistance)),
                         toText(formatMetres(last.deviation)));
        reading_->setText(text);
    }
}

}  // namespace flentro::app
