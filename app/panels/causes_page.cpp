#include "panels/causes_page.h"

#include <QGridLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QPointer>
#include <QShowEvent>
#include <algorithm>

#include "base/index.h"
#include "base/text.h"
#include "findings/trial.h"
#include "fixes/merge_settings.h"
#include "survey/recounted.h"
#include "widgets/show_me.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kLine = 18;  ///< Pixels of a line of text.
constexpr std::size_t kMaxRows = 400;

enum Filter { Open, Fixable, SetAside };

QString nameOf(const Finding& finding) {
    const QString first = toText(finding.subjects.front().name);
    return finding.subjects.size() == 1
               ? first
               : QObject::tr("%1 and %2 more").arg(first).arg(finding.subjects.size() - 1);
}

/// "x3.4", "x19": for where there is little room.
QString shortLoad(double load, int decimals = 1) {
    return QString("x%1").arg(load, 0, 'f', load < 10 ? decimals : 0);
}

/// One word for a measure, for where there is little room.
QString shortName(Measure measure) {
    switch (measure) {
        case Measure::DrawCalls:
            return QObject::tr("calls");
        case Measure::Objects:
            return QObject::tr("objects");
        case Measure::ShadowLights:
            return QObject::tr("shadows");
        case Measure::TextureBytes:
            return QObject::tr("memory");
        case Measure::TextureEdge:
            return QObject::tr("largest");
        case Measure::MaterialsPerObject:
            return QObject::tr("materials");
        case Measure::VerticesPerMesh:
            return QObject::tr("vertices");
        default:
            return QString(measureName(measure)).toLower();
    }
}

/// "calls x3.6→x0.83": what a finding changes most of what is over, or else of anything.
QString reliefText(const std::vector<Diagnosis::Change>& changes) {
    if (changes.empty() || changes.front().after >= changes.front().before) return "-";
    const Diagnosis::Change& first = changes.front();
    // A second decimal where one would hide the change, or that the load ends within its limit.
    const bool isClose = shortLoad(first.before) == shortLoad(first.after);
    const bool endsWithin = first.isOver() && first.after < 1;
    return QString("%1 %2→%3")
        .arg(shortName(first.measure), shortLoad(first.before, isClose ? 2 : 1),
             shortLoad(first.after, isClose || endsWithin ? 2 : 1));
}

}  // namespace

CausesPage::CausesPage(Document& document, QWidget* parent)
    : QWidget(parent),
      document_(document),
      search_(new QLineEdit),
      filter_(new QComboBox),
      table_(makeTable({tr("What"), tr("Cause"), tr("Takes off")})),
      fold_(new QPushButton),
      notSeen_(makeFaint(tr("Counted in the surveyed views. Fixes have changed objects since the "
                            "survey, so causes that depend on visibility are missing: survey "
                            "again."))),
      sentence_(new QLabel),
      evidence_(new EvidenceView),
      advice_(makeFaint("")),
      fix_(makePrimary(tr("Fix this"))),
      fixAll_(new QPushButton(tr("Fix all of this kind"))),
      show_(new QPushButton(tr("Show me"))),
      off_(new QPushButton(tr("What if off"))),
      aside_(new QPushButton(tr("Set aside"))) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    buildLayout(layout);
    connectAll();
    describeCurrent();
}

void CausesPage::buildLayout(QVBoxLayout* layout) {
    auto* row = new QHBoxLayout;
    search_->setPlaceholderText(tr("Filter by name or cause (Ctrl+F)"));
    search_->setClearButtonEnabled(true);
    search_->setAccessibleName(tr("Filter causes"));
    filter_->addItems({tr("Open"), tr("With a fix"), tr("Set aside")});
    filter_->setAccessibleName(tr("Which causes"));
    row->addWidget(search_, 1);
    row->addWidget(filter_);
    layout->addLayout(row);
    table_->setAccessibleName(tr("Causes"));
    table_->horizontalHeaderItem(1)->setTextAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    // The cause is the longest, and is what the list is read for.
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Interactive);
    table_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
    table_->setColumnWidth(0, 84);
    table_->setColumnWidth(2, 140);
    layout->addWidget(table_, 1);
    fold_->setCheckable(true);
    fold_->setFlat(true);
    fold_->setToolTip(tr("What is within its limits needs no relief."));
    layout->addWidget(fold_);
    // What wraps asks for the height of its narrowest shape: the page would scroll for nothing.
    for (QLabel* text : {notSeen_, sentence_, advice_}) text->setMinimumHeight(kLine);
    notSeen_->setWordWrap(true);
    notSeen_->setAccessibleName(tr("What has not been seen"));
    notSeen_->hide();
    layout->addWidget(notSeen_);
    sentence_->setWordWrap(true);
    layout->addWidget(sentence_);
    layout->addWidget(evidence_);
    advice_->setWordWrap(true);
    layout->addWidget(advice_);
    auto* buttons = new QGridLayout;  // too long for one row in the smallest window
    buttons->setSpacing(6);
    buttons->addWidget(fix_, 0, 0, 1, 3);
    buttons->addWidget(fixAll_, 0, 3, 1, 3);
    buttons->addWidget(show_, 1, 0, 1, 2);
    buttons->addWidget(off_, 1, 2, 1, 2);
    buttons->addWidget(aside_, 1, 4, 1, 2);
    layout->addLayout(buttons);
    off_->setToolTip(tr("Counts and draws everything as if it were not there."));
    aside_->setToolTip(tr("Is not told again, for a reason that the project keeps."));
}

void CausesPage::connectAll() {
    connect(search_, &QLineEdit::textChanged, this, &CausesPage::fillTable);
    connect(filter_, &QComboBox::activated, this, &CausesPage::fillTable);
    connect(fold_, &QPushButton::toggled, this, &CausesPage::fillTable);
    connect(table_, &QTableWidget::itemSelectionChanged, this, &CausesPage::describeCurrent);
    connect(table_, &QTableWidget::cellDoubleClicked, this, &CausesPage::showCurrent);
    connect(fix_, &QPushButton::clicked, this, &CausesPage::fixCurrent);
    connect(fixAll_, &QPushButton::clicked, this, &CausesPage::fixAllOfKind);
    connect(show_, &QPushButton::clicked, this, &CausesPage::showCurrent);
    connect(off_, &QPushButton::clicked, this, &CausesPage::switchCurrentOff);
    connect(aside_, &QPushButton::clicked, this, &CausesPage::setCurrentAside);
    connect(&document_.evaluator(), &Evaluator::changed, this, &CausesPage::diagnoseIfNew);
    connect(&document_.survey(), &SurveyModel::changed, this, &CausesPage::diagnoseIfNew);
    connect(&themeWatch(), &ThemeWatch::changed, this, &CausesPage::fillTable);
    connect(&document_.projectModel(), &ProjectModel::changed, this, [this] {
        diagnoseIfNew();
        fillTable();
    });
}

void CausesPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    diagnoseIfNew();
}

CausesPage::Basis CausesPage::basisNow() const {
    const Surveyed& surveyed = document_.survey().surveyed();
    return {document_.result(), surveyed.survey, document_.survey().evidence(),
            surveyed.exists() && surveyed.scene == document_.result(),
            toJson(document_.target()).dump()};
}

void CausesPage::diagnoseIfNew() {
    if (!isVisible() || !document_.hasScene() || document_.survey().isSurveyingAgain()) return;
    const Basis now = basisNow();
    if (std::exchange(basis_, now) == now) return;
    diagnosis_.reset();  // what is shown is old from here on
    fillTable();
    document_.jobs().start(
        tr("Looking for causes"),
        [self = QPointer<CausesPage>(this), now, target = document_.target(),
         view = document_.view(), memo = memo_](Progress& progress) -> JobRunner::Finish {
            const auto giveUp = [self] {
                if (self) self->basis_ = {};  // asked again when the page is shown again
            };
            std::shared_ptr<const Survey> counted = now.survey;
            if (counted && (!now.isOfScene || toJson(counted->target) != toJson(target))) {
                auto again = now.isOfScene ? recounted(*now.survey, *now.scene, target, progress)
                                           : recountedIn(*now.scene, *now.survey, target, progress);
                if (!again) return giveUp;
                counted = std::make_shared<const Survey>(std::move(*again));
            }
            auto found = diagnose(*now.scene, target, counted.get(), view, *memo, progress,
                                  now.evidence.get());
            if (!found) return giveUp;
            auto diagnosis = std::make_shared<const Diagnosis>(std::move(*found));
            return [self, now, counted, diagnosis] {
                if (self) self->adopt(now, counted, diagnosis);
            };
        },
        Lane::Survey);
}

void CausesPage::adopt(const Basis& basis, const std::shared_ptr<const Survey>& counted,
                       std::shared_ptr<const Diagnosis> diagnosis) {
    if (basis != basis_) return;
    scene_ = basis.scene;
    diagnosis_ = std::move(diagnosis);
    isTried_ = false;
    notSeen_->setVisible(counted && basis.survey->hasRays() && !counted->hasRays());
    fillTable();
    tryFixesOf(basis, counted, *diagnosis_);
}

/// Upper bounds give way to what the fixes take off when they are applied.
void CausesPage::tryFixesOf(const Basis& basis, const std::shared_ptr<const Survey>& counted,
                            const Diagnosis& diagnosis) {
    document_.jobs().start(
        kTryingFixes,
        [self = QPointer<CausesPage>(this), basis, counted, found = diagnosis,
         target = document_.target(),
         view = document_.view()](Progress& progress) mutable -> JobRunner::Finish {
            const auto tried = tryFixes(found, *basis.scene, target, counted.get(), view, progress,
                                        basis.evidence.get());
            if (!tried) return [] {};  // the upper bounds stay, and are called that
            auto settled = std::make_shared<const Diagnosis>(std::move(found));
            return [self, basis, settled] {
                if (!self || basis != self->basis_) return;
                self->diagnosis_ = settled;
                self->isTried_ = true;
                self->fillTable();
                emit self->tried(settled);
            };
        },
        Lane::Survey);
}

/// The heading of the last column: what it shows before the fixes have been tried is a bound.
void CausesPage::sayWhatIsTried() {
    table_->horizontalHeaderItem(2)->setText(isTried_ ? tr("Takes off") : tr("Takes off at most"));
    table_->horizontalHeaderItem(2)->setToolTip(
        isTried_ ? tr("Each fix was applied to the scene and the worst views counted again.")
                 : tr("Upper bounds, until each fix has been applied to the scene."));
}

bool CausesPage::isAside(const Finding& finding) const {
    return document_.project().findingsAside.contains(finding.identity());
}

const Finding* CausesPage::current() const {
    const auto row = static_cast<std::size_t>(table_->currentRow());
    if (!diagnosis_ || table_->currentRow() < 0 || row >= rows_.size()) return nullptr;
    return &diagnosis_->findings[rows_[row]];
}

void CausesPage::fillTable() {
    const Finding* chosen = current();
    const std::string keep = chosen ? chosen->identity() : "";
    rows_.clear();
    int selected = -1;
    int open = 0;
    int folded = 0;
    const std::size_t relieving =
        diagnosis_ ? diagnosis_->relieving(document_.target()) : std::size_t{0};
    sayWhatIsTried();
    if (diagnosis_)
        for (std::size_t i = 0; i < diagnosis_->findings.size(); ++i) {
            const Finding& finding = diagnosis_->findings[i];
            const bool aside = isAside(finding);
            const bool isWithin = relieving > 0 && i >= relieving;
            open += !aside && !isWithin;
            const bool wanted = filter_->currentIndex() == SetAside ? aside
                                : filter_->currentIndex() == Fixable
                                    ? !aside && finding.fix.has_value()
                                    : !aside;
            const QString text = nameOf(finding) + " " + toText(finding.rule->name) + " " +
                                 toText(finding.rule->key);
            if (!wanted || !text.contains(search_->text(), Qt::CaseInsensitive) ||
                rows_.size() == kMaxRows)
                continue;
            const bool folds =
                isWithin && search_->text().isEmpty() && filter_->currentIndex() != SetAside;
            folded += folds;
            if (folds && !fold_->isChecked()) continue;
            if (finding.identity() == keep) selected = static_cast<int>(rows_.size());
            rows_.push_back(i);
        }
    const QSignalBlocker quiet(table_);
    table_->setRowCount(static_cast<int>(rows_.size()));
    {
        // Hundreds of cells change at once: the view hears of it once, below.
        const QSignalBlocker still(table_->model());
        for (int row = 0; row < table_->rowCount(); ++row) {
            const Finding& finding = diagnosis_->findings[elementOf(rows_, row)];
            setCell(table_, row, 0, nameOf(finding), false);
            setCell(table_, row, 1, toText(finding.rule->name), false);
            const auto changes = diagnosis_->changes(finding.relief, document_.target());
            setCell(table_, row, 2, reliefText(changes));
            table_->item(row, 2)->setToolTip(toText(formatChanges(changes)));
            table_->item(row, 2)->setForeground(finding.isExact ? theme().ink : theme().faint);
        }
    }
    fold_->setVisible(folded > 0);
    fold_->setText(fold_->isChecked()
                       ? tr("Hide the %1 about what is within its limits").arg(folded)
                       : tr("%1 more about what is within its limits").arg(folded));
    table_->viewport()->update();
    if (selected < 0 && !rows_.empty()) selected = 0;
    table_->setCurrentCell(selected, selected >= 0 ? 0 : -1);
    if (diagnosis_) {
        // Of the measure that is most over.
        const Measure worst = worstMeasure(diagnosis_->loads);
        const double load = at(diagnosis_->loads, worst);
        const double limit = at(document_.target().limits, worst);
        const QString explained =
            load > 1 && limit > 0
                ? tr("%1 of %2")
                      .arg(shortLoad(at(diagnosis_->explained, worst) / limit), shortLoad(load))
                : QString();
        emit counted(open, explained);
    }
    describeCurrent();
}

void CausesPage::describeCurrent() {
    const Finding* finding = current();
    for (QPushButton* button : {fix_, fixAll_, show_, off_, aside_}) button->setEnabled(finding);
    if (!finding) {
        evidence_->clear();
        advice_->clear();
        sentence_->setText(!document_.hasScene() ? tr("Open a scene first.")
                           : !diagnosis_         ? tr("Looking for causes ...")
                           : rows_.empty()       ? tr("Nothing here.")
                                                 : tr("Choose a cause to see its evidence."));
        return;
    }
    sentence_->setText(
        QString("<b>%1</b>: %2.")
            .arg(nameOf(*finding).toHtmlEscaped(), toText(finding->sentence).toHtmlEscaped()));
    evidence_->show(*finding, *diagnosis_, scene_, document_.target());
    QStringList words = {toText(finding->rule->why)};
    if (const QString cure = cureText(*finding); !cure.isEmpty()) words << cure;
    if (!finding->isExact && anyReliefOf(finding->relief, document_.target()) > 0)
        words << tr("What it takes off is an upper bound.");
    if (!finding->sharedWith.empty()) {
        QStringList others;
        for (const std::string& key : finding->sharedWith)
            others << toText(findRule(key)->name).toLower();
        words << tr("Also claimed by: %1.").arg(others.join(", "));
    }
    if (const auto aside = document_.project().findingsAside.find(finding->identity());
        aside != document_.project().findingsAside.end())
        words << tr("Set aside: %1.").arg(toText(aside->second));
    advice_->setText(words.join(" "));
    fix_->setEnabled(finding->fix.has_value());
    const std::size_t alike = fixableLike(*finding).size();
    fixAll_->setEnabled(alike > 1);
    fixAll_->setToolTip(
        tr("%1 that are not set aside, by one fix")
            .arg(toText(flentro::counted(alike, "cause of this kind", "causes of this kind"))));
    fix_->setToolTip(finding->fix ? toText(finding->fix->kind().help)
                                  : toText(finding->rule->advice));
    const Subject::Kind kind = finding->subjects.front().kind;
    off_->setEnabled(kind == Subject::Kind::Asset || kind == Subject::Kind::Object ||
                     kind == Subject::Kind::Light || kind == Subject::Kind::Image);
    aside_->setText(isAside(*finding) ? tr("Take up again") : tr("Set aside"));
}

/// Advice beside the button: why there is no fix, or which fixes are added first.
QString CausesPage::cureText(const Finding& finding) const {
    if (!finding.withdrawn.empty())
        return tr("Fix %1 was tried on this scene and takes nothing off here.")
            .arg(toText(finding.withdrawn));
    if (!finding.fix) return toText(finding.rule->advice);
    if (finding.preparations.empty()) return {};
    QStringList names;
    for (const FixSettings& first : finding.preparations) names << toText(first.kind().name);
    return tr("Fix this adds %1 and %2.").arg(names.join(", "), toText(finding.fix->kind().name));
}

/// Flies to where the finding counts most, and selects its first thing nearest to there.
void CausesPage::showCurrent() {
    const Finding* finding = current();
    if (!finding) return;
    const Subject& first = finding->subjects.front();
    if (first.kind == Subject::Kind::Light)
        return emit viewRequested(
            viewBefore(scene_->placedLights[first.index].position, document_.view().heading));
    const Vec3d eye = finding->where.empty() ? document_.view().eye : finding->where.front().eye;
    const auto nearest = nearestObject(*scene_, eye, [&](std::size_t i) {
        return first.kind == Subject::Kind::Object
                   ? i == first.index
                   : first.kind == Subject::Kind::Asset &&
                         static_cast<std::size_t>(scene_->objects[i].asset) == first.index;
    });
    if (nearest)
        document_.selection().selectObject(
            static_cast<int>(scene_->objects[*nearest].origins.front()));
    if (!finding->where.empty())
        emit viewRequested(finding->where.front());
    else if (nearest)
        emit showRequested();
}

void CausesPage::fixCurrent() {
    const Finding* finding = current();
    if (!finding || !finding->fix) return;
    const Finding wanted = *finding;  // the list changes with the first fix
    for (const FixSettings& preparation : wanted.preparations) emit fixRequested(preparation, {});
    const Subject& first = wanted.subjects.front();
    emit fixRequested(*wanted.fix,
                      first.kind == Subject::Kind::Asset ? toText(first.name) : QString());
}

/// Findings of its rule that are not set aside and have a fix prepared, itself among them.
std::vector<const Finding*> CausesPage::fixableLike(const Finding& finding) const {
    std::vector<const Finding*> alike;
    for (const Finding& other : diagnosis_->findings)
        if (other.rule == finding.rule && other.fix && !isAside(other)) alike.push_back(&other);
    return alike;
}

void CausesPage::fixAllOfKind() {
    const Finding* finding = current();
    if (!finding || !finding->fix) return;
    FixSettings all = *finding->fix;
    for (const Finding* other : fixableLike(*finding))
        if (&other->fix->kind() == &all.kind()) all = mergeSettings(all, *other->fix);
    emit fixRequested(all, {});
}

void CausesPage::switchCurrentOff() {
    const Finding* finding = current();
    if (!finding) return;
    TakeOut out(*document_.source(), *scene_, document_.selection().without());
    for (const Subject& subject : finding->subjects) {
        if (subject.kind == Subject::Kind::Light) out.light(subject.index);
        if (subject.kind == Subject::Kind::Object) out.object(subject.index);
        if (subject.kind == Subject::Kind::Asset) out.asset(subject.index);
        if (subject.kind == Subject::Kind::Image) out.image(subject.index);
    }
    document_.selection().setWithout(out.origins());
}

void CausesPage::setCurrentAside() {
    const Finding* finding = current();
    if (!finding) return;
    const std::string identity = finding->identity();
    if (isAside(*finding))
        return document_.projectModel().takeUpFinding(identity, nameOf(*finding));
    bool ok = false;
    const QString reason = QInputDialog::getText(
        this, tr("Set aside"), tr("Why this is as it should be:"), QLineEdit::Normal, {}, &ok);
    if (ok)
        document_.projectModel().setFindingAside(identity, reason.toStdString(), nameOf(*finding));
}

}  // namespace flentro::app
