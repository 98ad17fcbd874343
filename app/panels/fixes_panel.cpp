#include "panels/fixes_panel.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "base/text.h"
#include "fixes/merge_settings.h"
#include "instruments/light_instrument.h"
#include "instruments/texture_instrument.h"
#include "project/order_file.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

QToolButton* makeMark(const QString& text, const QString& tip) {
    auto* button = new QToolButton;
    button->setText(text);
    button->setToolTip(tip);
    button->setAccessibleName(tip);
    button->setFixedSize(24, 22);
    button->setStyleSheet("padding: 0px;");
    return button;
}

/// "triangles −0.42, draw calls −0.10": what a step takes off the loads here, or brings.
QString changeInWords(const Counts& before, const Counts& after, const Target& target) {
    QStringList words;
    for (const Measure measure : kMeasures) {
        const double limit = at(target.limits, measure);
        const double by = loadOf(at(after, measure), limit) - loadOf(at(before, measure), limit);
        if (!std::isfinite(by) || std::fabs(by) < 0.005) continue;
        words << QString("%1 %2%3")
                     .arg(QString(measureName(measure)).toLower(), by < 0 ? "−" : "+")
                     .arg(std::fabs(by), 0, 'f', 2);
    }
    return words.join(", ");
}

}  // namespace

// --- card ---------------------------------------------------------------------------------

FixCard::FixCard(const Fix& fix, int position, int count, QWidget* parent)
    : QFrame(parent),
      fix_(fix.id),
      on_(new QCheckBox(QString("%1  %2").arg(position + 1).arg(toText(fix.settings.kind().name)))),
      details_(new QWidget),
      summary_(makeFaint("")),
      contribution_(new QLabel),
      account_(makeMark(tr("Account"), tr("Both sides of this fix: before, after, change"))) {
    setProperty("card", true);
    setFocusPolicy(Qt::TabFocus);
    setAccessibleName(toText(fix.settings.kind().name));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 2, 6, 2);
    layout->setSpacing(2);
    auto* row = new QHBoxLayout;
    row->setSpacing(3);
    on_->setChecked(fix.on);
    on_->setFont(textFont(13, true));
    on_->setToolTip(tr("Switches this fix on and off; nothing is lost."));
    row->addWidget(on_);
    row->addStretch(1);
    contribution_->setFont(figureFont(11));
    contribution_->setTextFormat(Qt::RichText);
    row->addWidget(contribution_);
    layout->addLayout(row);
    QToolButton* up = makeMark("↑", tr("Earlier"));
    QToolButton* down = makeMark("↓", tr("Later"));
    QToolButton* remove = makeMark("×", tr("Remove"));
    up->setEnabled(position > 0);
    down->setEnabled(position + 1 < count);
    summary_->setWordWrap(true);
    summary_->setFont(textFont(12));
    auto* below = new QHBoxLayout(details_);
    below->setContentsMargins(0, 0, 0, 0);
    below->setSpacing(3);
    below->addWidget(summary_, 1);
    account_->setFixedSize(
        QSize(account_->fontMetrics().horizontalAdvance(account_->text()) + 16, 22));
    account_->setCheckable(true);
    below->addWidget(account_, 0, Qt::AlignTop);
    for (QToolButton* mark : {up, down, remove}) below->addWidget(mark, 0, Qt::AlignTop);
    layout->addWidget(details_);
    details_->hide();
    connect(on_, &QCheckBox::clicked, this, &FixCard::toggled);
    connect(up, &QToolButton::clicked, this, [this] { emit moved(-1); });
    connect(down, &QToolButton::clicked, this, [this] { emit moved(1); });
    connect(remove, &QToolButton::clicked, this, &FixCard::removed);
    connect(account_, &QToolButton::clicked, this, &FixCard::accountAsked);
}

void FixCard::setChosen(bool chosen) {
    chosen_ = chosen;
    details_->setVisible(chosen);
    update();
}

void FixCard::setResult(const QString& summary, const QString& tip) {
    summary_->setText(summary);
    summary_->setToolTip(tip);
}

void FixCard::setContribution(const std::vector<std::pair<Measure, double>>& change) {
    // The first measure stands for all, if it changes; else the one that changes most.
    QString text;
    QString all;
    double most = -1;
    for (const auto& [measure, load] : change) {
        const bool worse = load > 0.005;
        const bool better = load < -0.005;
        const QColor color = worse ? theme().over : better ? theme().within : theme().faint;
        const QString sign = worse ? "+" : better ? "−" : "±";
        const QString value = QString("%1 %2%3")
                                  .arg(QString(measureName(measure)).toLower(), sign)
                                  .arg(std::fabs(load), 0, 'f', 2);
        if (worse || better || all.isEmpty()) all += value + "\n";
        const bool first = &measure == &change.front().first && (worse || better);
        if (std::fabs(load) <= most) continue;
        most = first ? std::numeric_limits<double>::infinity() : std::fabs(load);
        text = QString("<font color='%1'>%2</font>").arg(color.name(), value);
    }
    if (!all.isEmpty())
        contribution_->setToolTip(
            tr("Change of load in this view that this fix brings:\n%1").arg(all));
    contribution_->setText(text);
    contribution_->setVisible(!text.isEmpty());
}

void FixCard::mousePressEvent(QMouseEvent*) {
    emit chosen();
}

void FixCard::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)
        emit chosen();
    else if (event->key() == Qt::Key_Delete)
        emit removed();
    else
        QFrame::keyPressEvent(event);
}

void FixCard::paintEvent(QPaintEvent* event) {
    QFrame::paintEvent(event);
    QPainter painter(this);
    if (chosen_) painter.fillRect(QRect(0, 0, 3, height()), theme().ink);
    if (!hasFocus()) return;
    painter.setPen(theme().within);
    painter.drawRect(rect().adjusted(0, 0, -1, -1));
}

// --- sheet --------------------------------------------------------------------------------

FixesPanel::FixesPanel(Document& document, QWidget* parent)
    : QWidget(parent),
      document_(document),
      measure_(new QComboBox),
      staircase_(new Staircase(document)),
      cardHolder_(new QWidget),
      instruments_(new QVBoxLayout),
      ladder_(new LadderInstrument(document)),
      culling_(new CullingInstrument(document)),
      tidy_(new TidyInstrument(document)),
      merge_(new MergeInstrument(document)),
      account_(new AccountView(this)),
      nothing_(makeFaint("")) {
    account_->hide();
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 14, 16, 10);
    layout->setSpacing(7);
    buildHead(layout);
    layout->addWidget(staircase_);
    auto* cards = new QVBoxLayout(cardHolder_);
    cards->setContentsMargins(0, 0, 0, 0);
    cards->setSpacing(3);
    layout->addWidget(cardHolder_);
    nothing_->setWordWrap(true);
    nothing_->setAlignment(Qt::AlignTop);
    nothing_->setParent(this);
    nothing_->hide();
    addInstruments();
    layout->addLayout(instruments_, 1);
    connect(&document, &Document::sceneChanged, this, [this] { measureChosen_ = false; });
    connect(&document.projectModel(), &ProjectModel::changed, this, &FixesPanel::rebuildCards);
    connect(&themeWatch(), &ThemeWatch::changed, this, &FixesPanel::rebuildCards);
    connect(&document.evaluator(), &Evaluator::changed, this, &FixesPanel::refreshCards);
    connect(&document.counter(), &ViewCounter::changed, this, &FixesPanel::refreshCards);
    connect(&document.selection(), &Selection::changed, this, &FixesPanel::refreshCards);
    rebuildCards();
}

void FixesPanel::buildHead(QVBoxLayout* layout) {
    auto* head = new QHBoxLayout;
    auto* title = new QLabel(tr("Fixes"));
    title->setFont(textFont(17, true));
    head->addWidget(title, 1);
    for (const Measure measure : kMeasures) measure_->addItem(measureName(measure));
    measure_->setAccessibleName(tr("Measure of the staircase"));
    head->addWidget(measure_);
    auto* addButton = new QPushButton(tr("Add fix"));
    auto* menu = new QMenu(addButton);
    menu->setToolTipsVisible(true);
    for (const FixKind* kind : fixKinds()) {
        QAction* action = menu->addAction(toText(kind->name), this, [this, kind] {
            add(proposeSettings(*kind, *document_.source()));
        });
        action->setToolTip(toText(kind->help));
        addActions_.emplace_back(kind, action);
    }
    menu->addSeparator();
    menu->addAction(tr("Read a work order ..."), this, &FixesPanel::chooseOrderToRead)
        ->setToolTip(tr("The fixes of a file take the place of these; this can be undone."));
    menu->addAction(tr("Write this work order ..."), this, &FixesPanel::chooseOrderToWrite)
        ->setToolTip(tr("For other scenes and for the command line."));
    connect(menu, &QMenu::aboutToShow, this, [this, menu] {
        describeAdditions();
        orderAdditions(*menu);
    });
    addButton->setMenu(menu);
    head->addWidget(addButton);
    layout->addLayout(head);
    connect(measure_, &QComboBox::activated, this, [this](int index) {
        measureChosen_ = true;
        staircase_->setMeasure(elementOf(kMeasures, index));
        refreshCards();
    });
}

void FixesPanel::addInstruments() {
    addInstrument("tidy", tidy_);
    addInstrument("atlas", new AtlasInstrument(document_));
    addInstrument("ladder", ladder_);
    addInstrument("culling", culling_);
    addInstrument("merge", merge_);
    addInstrument("texture-size", new TextureInstrument(document_));
    addInstrument("plain-materials", new MaterialInstrument(document_));
    for (const char* key : {"light-reach", "fewer-lights", "shadow-lights"})
        addInstrument(key, new LightInstrument(document_, *findFixKind(key)));
    for (const FixKind* kind : fixKinds())
        if (!byKind_.contains(kind->key))
            addInstrument(kind->key, new PlainInstrument(document_, *kind, resultsOf(*kind)));
}

/// Beside each kind what it takes off here, as far as that is known.
void FixesPanel::describeAdditions() {
    const auto& steps = document_.evaluator().evaluation().steps;
    const auto& counts = document_.here().steps;
    for (const auto& [kind, action] : addActions_) {
        QString words = tr("not yet known");
        if (const Diagnosis::Trial* trial = trialOf(*kind)) {
            const auto changes = tried_->changes(trial->relief, document_.target());
            words = changes.empty() ? tr("takes nothing off")
                                    : toText(formatChanges({changes.front()}));
        }
        if (document_.hasScene())
            if (const std::string why = kind->uselessBecause(*document_.source()); !why.empty())
                words = tr("nothing here: %1").arg(toText(why));
        for (std::size_t i = 0; i < std::min(steps.size(), counts.size()); ++i) {
            const Fix* fix = document_.project().order.find(steps[i].fix);
            if (!fix || &fix->settings.kind() != kind) continue;
            const QString change =
                changeInWords(i == 0 ? document_.here().before.counts : counts[i - 1], counts[i],
                              document_.target());
            words = tr("in the order: %1").arg(change.isEmpty() ? tr("nothing here") : change);
        }
        action->setText(QString("%1   (%2)").arg(toText(kind->name), words));
    }
}

/// Stores the trials of the present result; null clears them.
void FixesPanel::setTried(const std::shared_ptr<const Diagnosis>& diagnosis) {
    tried_ = diagnosis;
    triedScene_ = document_.result();
    triedTarget_ = toJson(document_.target()).dump();
}

/// Null where nothing has been tried on the present result.
const Diagnosis* FixesPanel::tried() const {
    const bool isCurrent = document_.hasScene() && triedScene_ == document_.result() &&
                           triedTarget_ == toJson(document_.target()).dump();
    return isCurrent ? tried_.get() : nullptr;
}

/// The trial of one fix without others before it; null where there is none.
const Diagnosis::Trial* FixesPanel::trialOf(const FixKind& kind) const {
    const Diagnosis::Trial* best = nullptr;
    const Diagnosis* all = tried();
    if (!all) return best;
    const Target& target = document_.target();
    for (const Diagnosis::Trial& trial : all->trials)
        if (trial.fixes.size() == 1 && &trial.fixes.front().kind() == &kind &&
            (!best || all->reliefOf(trial.relief, target) > all->reliefOf(best->relief, target)))
            best = &trial;
    return best;
}

/// "Ladder: triangles x4.57 to x1.20": the fix that takes most off what is over; empty where none
/// is known to.
QString FixesPanel::bestFix() const {
    const Diagnosis* all = tried();
    if (!all) return {};
    const Diagnosis::Trial* best = nullptr;
    const Target& target = document_.target();
    for (const Diagnosis::Trial& trial : all->trials)
        if (all->reliefOf(trial.relief, target) > (best ? all->reliefOf(best->relief, target) : 0))
            best = &trial;
    if (!best) return {};
    QStringList names;
    for (const FixSettings& fix : best->fixes) names << toText(fix.kind().name);
    return names.join(tr(", then ")) + ": " +
           toText(formatChanges({all->changes(best->relief, target).front()}));
}

/// Fixes that take most off what is over come first; those that nobody has tried keep their order.
void FixesPanel::orderAdditions(QMenu& menu) {
    const auto reliefOf = [this](const FixKind& kind) {
        const Diagnosis::Trial* trial = trialOf(kind);
        return trial ? tried_->reliefOf(trial->relief, document_.target()) : 0;
    };
    auto sorted = addActions_;
    std::stable_sort(sorted.begin(), sorted.end(), [&](const auto& a, const auto& b) {
        return reliefOf(*a.first) > reliefOf(*b.first);
    });
    QAction* after = nullptr;
    for (auto at = sorted.rbegin(); at != sorted.rend(); ++at) {
        if (!after) after = menu.actions()[static_cast<qsizetype>(sorted.size())];
        menu.removeAction(at->second);
        menu.insertAction(after, at->second);
        after = at->second;
    }
}

/// The measure that is most over, here or at the worst surveyed view, unless one was chosen.
void FixesPanel::followWorstMeasure() {
    if (measureChosen_ || document_.counter().freshness() == ViewCounter::Freshness::Nothing)
        return;
    Counts load = loads(document_.here().before.counts, document_.target());
    const Surveyed& surveyed = document_.survey().surveyed();
    if (surveyed.exists() && !surveyed.after.empty())
        for (const Measure measure : kMeasures)
            at(load, measure) =
                std::max(at(load, measure), surveyed.extremes(measure, document_.target()).load);
    const auto worst = static_cast<int>(worstMeasure(load));
    if (measure_->currentIndex() == worst) return;
    measure_->setCurrentIndex(worst);
    staircase_->setMeasure(elementOf(kMeasures, worst));
}

void FixesPanel::addInstrument(const std::string& key, FixInstrumentBase* instrument) {
    instrument->setParent(this);
    instrument->hide();
    byKind_[key] = instrument;
    connect(instrument, &FixInstrumentBase::tintRequested, this, &FixesPanel::tintRequested);
}

/// That of the chosen fix.
void FixesPanel::showInstrument() {
    const Fix* chosen = document_.project().order.find(document_.selection().fix());
    QWidget* shown = nothing_;
    if (chosen) {
        const std::pair<int, std::string> now(chosen->id, chosen->settings.kind().key);
        FixInstrumentBase* instrument = byKind_.at(now.second);
        if (std::exchange(shownFix_, now) != now) instrument->setFix(chosen->id);
        shown = instrument;
        if (accountShown_) {
            shown = account_;
            refreshAccount(*chosen);
        }
    }
    QWidget* before = std::exchange(shownInstrument_, shown);
    if (before == shown) return;
    if (before) {
        instruments_->removeWidget(before);
        before->hide();
    }
    instruments_->addWidget(shown);
    shown->show();
}

void FixesPanel::refreshAccount(const Fix& fix) {
    if (const Evaluator::Done done = document_.evaluator().doneBy(fix.id))
        account_->show(*done.step);
    else
        account_->clear(fix.on ? tr("Waiting for its turn.")
                               : tr("This fix is off: switch it on to see its account."));
}

void FixesPanel::showAccount(bool shown) {
    accountShown_ = shown;
    refreshCards();
}

void FixesPanel::change(const QString& text, const std::function<void(WorkOrder&)>& apply) {
    WorkOrder order = document_.project().order;
    apply(order);
    document_.projectModel().setOrder(order, text);
}

void FixesPanel::add(const FixSettings& settings) {
    int id = 0;
    change(tr("Add %1").arg(toText(settings.kind().name).toLower()),
           [&](WorkOrder& order) { id = order.insert(settings).id; });
    choose(id);
}

void FixesPanel::chooseOrderToRead() {
    const QString file = QFileDialog::getOpenFileName(this, tr("Read a work order"), {},
                                                      tr("Work orders and projects (*.json)"));
    if (!file.isEmpty()) readOrder(file);
}

void FixesPanel::chooseOrderToWrite() {
    const QString file = QFileDialog::getSaveFileName(
        this, tr("Write this work order"), "work-order.json", tr("Work orders (*.json)"));
    if (!file.isEmpty()) writeOrder(file);
}

void FixesPanel::readOrder(const QString& file) {
    const auto order = loadWorkOrder(file.toStdString());
    if (!order) {
        emit document_.failed(toText(describe(order.error())));
        return;
    }
    document_.projectModel().setOrder(*order, tr("Read %1").arg(QFileInfo(file).fileName()));
    choose(order->fixes.empty() ? 0 : order->fixes.front().id);
}

void FixesPanel::writeOrder(const QString& file) {
    if (const auto done = saveWorkOrder(document_.project().order, file.toStdString()); !done)
        emit document_.failed(toText(describe(done.error())));
}

void FixesPanel::addOrShow(const QString& key, const QString& asset) {
    addPrepared(proposeSettings(*findFixKind(key.toStdString()), *document_.source()), asset);
}

void FixesPanel::addPrepared(const FixSettings& settings, const QString& asset) {
    const FixKind& kind = settings.kind();
    const Fix* own = nullptr;
    for (const Fix& fix : document_.project().order.fixes)
        if (&fix.settings.kind() == &kind) own = &fix;
    if (!own) {
        add(settings);
    } else {
        const int id = own->id;
        const FixSettings merged = mergeSettings(own->settings, settings);
        if (toJson(merged) != toJson(own->settings) || !own->on)
            change(tr("Extend %1").arg(toText(kind.name).toLower()), [&](WorkOrder& order) {
                order.find(id)->settings = merged;
                order.find(id)->on = true;
            });
        choose(id);
    }
    if (kind.key == "ladder") ladder_->setAsset(asset);
}

void FixesPanel::choose(int id) {
    document_.selection().selectFix(id);
    refreshCards();
}

void FixesPanel::move(int id, int by) {
    change(tr("Reorder fixes"), [&](WorkOrder& order) {
        for (std::size_t i = 0; i < order.fixes.size(); ++i) {
            if (order.fixes[i].id != id) continue;
            const std::size_t to =
                i + static_cast<std::size_t>(by);  // Beyond either end it is large.
            if (to < order.fixes.size()) std::swap(order.fixes[i], order.fixes[to]);
            return;
        }
    });
}

void FixesPanel::rebuildCards() {
    for (FixCard* card : cards_) {
        cardHolder_->layout()->removeWidget(card);
        card->hide();
        card->deleteLater();
    }
    cards_.clear();
    const auto& fixes = document_.project().order.fixes;
    for (std::size_t i = 0; i < fixes.size(); ++i) {
        auto* card =
            new FixCard(fixes[i], static_cast<int>(i), static_cast<int>(fixes.size()), cardHolder_);
        const int id = fixes[i].id;
        const QString name = toText(fixes[i].settings.kind().name).toLower();
        connect(card, &FixCard::chosen, this, [this, id] { choose(id); });
        connect(card, &FixCard::toggled, this, [this, id, name](bool on) {
            change(tr(on ? "Switch on %1" : "Switch off %1").arg(name),
                   [&](WorkOrder& order) { order.find(id)->on = on; });
        });
        connect(card, &FixCard::accountAsked, this, &FixesPanel::showAccount);
        connect(card, &FixCard::moved, this, [this, id](int by) { move(id, by); });
        connect(card, &FixCard::removed, this, [this, id, name] {
            change(tr("Remove %1").arg(name), [&](WorkOrder& order) {
                std::erase_if(order.fixes, [id](const Fix& fix) { return fix.id == id; });
            });
        });
        cardHolder_->layout()->addWidget(card);
        cards_.push_back(card);
    }
    refreshCards();
}

void FixesPanel::refreshCards() {
    followWorstMeasure();
    const auto& steps = document_.evaluator().evaluation().steps;
    const auto& counts = document_.here().steps;
    for (FixCard* card : cards_) {
        const Fix* fix = document_.project().order.find(card->fix());
        if (!fix) continue;
        card->setChosen(card->fix() == document_.selection().fix());
        card->setAccountShown(accountShown_);
        QString summary = fix->on ? tr("Waiting for its turn.") : tr("Off.");
        std::vector<std::pair<Measure, double>> change;
        for (std::size_t i = 0; i < steps.size(); ++i) {
            if (steps[i].fix != card->fix() || !fix->on) continue;
            summary = toText(steps[i].result->record.summary) + ".";
            QStringList lost;
            for (const Measure measure : steps[i].lossOn(document_.target()))
                lost << QString(measureName(measure)).toLower();
            if (!lost.isEmpty())
                summary =
                    tr("A loss at the worst views (%1): better left out. ").arg(lost.join(", ")) +
                    summary;
            if (i >= counts.size()) continue;
            const Counts& before = i == 0 ? document_.here().before.counts : counts[i - 1];
            const auto add = [&](Measure measure) {
                const double limit = at(document_.target().limits, measure);
                if (isLimit(limit) && limit > 0)
                    change.emplace_back(measure,
                                        (at(counts[i], measure) - at(before, measure)) / limit);
            };
            const Measure shown = elementOf(kMeasures, measure_->currentIndex());
            add(shown);
            for (const Measure measure : kMeasures)
                if (measure != shown) add(measure);
        }
        card->setResult(summary, summary);
        card->setContribution(change);
    }
    nothing_->setText(cards_.empty()
                          ? tr("No fixes yet. Add one: nothing is changed in the source scene, and "
                               "each fix can be switched off again.")
                          : tr("Choose a fix to see its instrument."));
    showInstrument();
}

}  // namespace flentro::app
