#include "widgets/theme.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPainterPath>
#include <QPalette>
#include <QStyleFactory>
#include <algorithm>

namespace flentro::app {
namespace {

Theme makeNight() {
    Theme t;
    t.paper = QColor(0x17, 0x1D, 0x24);
    t.raised = QColor(0x1F, 0x27, 0x30);
    t.ink = QColor(0xE6, 0xE0, 0xD4);
    t.faint = QColor(0x9A, 0xA3, 0xAC);
    t.hairline = QColor(0x32, 0x3C, 0x48);
    return t;
}

Theme makeDay() {
    Theme t;
    t.paper = QColor(0xF4, 0xF1, 0xEA);
    t.raised = QColor(0xFC, 0xFA, 0xF5);
    t.ink = QColor(0x1E, 0x2A, 0x38);
    t.faint = QColor(0x5F, 0x69, 0x73);
    t.hairline = QColor(0xD8, 0xD2, 0xC4);
    return t;
}

struct Current {
    ThemeName name = ThemeName::Night;
    Theme theme = makeNight();
};

Current& current() {
    static Current instance;
    return instance;
}

QPalette makePalette(const Theme& t) {
    QPalette palette;
    palette.setColor(QPalette::Window, t.paper);
    palette.setColor(QPalette::Base, t.raised);
    palette.setColor(QPalette::AlternateBase, t.paper);
    palette.setColor(QPalette::Button, t.raised);
    for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText})
        palette.setColor(role, t.ink);
    for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText})
        palette.setColor(QPalette::Disabled, role, t.faint);
    palette.setColor(QPalette::PlaceholderText, t.faint);
    palette.setColor(QPalette::Highlight, t.within);
    palette.setColor(QPalette::HighlightedText, QColor(Qt::white));
    palette.setColor(QPalette::ToolTipBase, t.raised);
    palette.setColor(QPalette::ToolTipText, t.ink);
    palette.setColor(QPalette::Mid, t.hairline);
    return palette;
}

QString makeStyle(const Theme& t) {
    QString css = R"(
QToolTip { background: @raised; color: @ink; border: 1px solid @hairline; padding: 4px; }
QPushButton, QToolButton { background: @raised; color: @ink; border: 1px solid @hairline;
    border-radius: 2px; padding: 4px 10px; }
QPushButton:hover, QToolButton:hover { border-color: @faint; }
QPushButton:pressed, QPushButton:checked, QToolButton:checked { background: @hairline; }
QPushButton:focus, QToolButton:focus { border-color: @within; }
QPushButton:disabled { color: @faint; }
QPushButton[primary="true"] { background: @ink; color: @paper; border-color: @ink; }
QPushButton[primary="true"]:disabled { background: @hairline; color: @faint; border-color: @hairline; }
QPushButton[primary="true"]:focus { border: 2px solid @within; padding: 3px 9px; }
QLineEdit, QSpinBox, QDoubleSpinBox, QComboBox { background: @raised; color: @ink;
    border: 1px solid @hairline; border-radius: 2px; padding: 1px 6px; min-height: 18px; }
QLineEdit:focus, QSpinBox:focus, QDoubleSpinBox:focus, QComboBox:focus { border-color: @within; }
QComboBox QAbstractItemView { background: @raised; color: @ink; selection-background-color: @hairline;
    selection-color: @ink; }
QTableView, QListView { background: @paper; color: @ink; border: none; gridline-color: @hairline;
    selection-background-color: @hairline; selection-color: @ink; }
QTableView::item { padding: 0 4px; }
QHeaderView::section { background: @paper; color: @faint; border: none;
    border-bottom: 1px solid @hairline; padding: 3px 4px; }
QScrollArea { border: none; }
QScrollBar:vertical { background: @paper; width: 10px; }
QScrollBar:horizontal { background: @paper; height: 10px; }
QScrollBar::handle { background: @hairline; border-radius: 3px; min-height: 24px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: none; }
QMenuBar, QMenu { background: @paper; color: @ink; }
QMenuBar::item:selected, QMenu::item:selected { background: @hairline; }
QMenu::item:disabled { color: @faint; }
QMenu::separator { height: 1px; background: @hairline; margin: 4px 8px; }
QSplitter::handle { background: @hairline; }
QFrame[card="true"] { background: @raised; border: 1px solid @hairline; border-radius: 3px; }
QFrame[rule="true"] { background: @hairline; border: none; max-height: 1px; min-height: 1px; }
QLabel[faint="true"] { color: @faint; }
QCheckBox { color: @ink; spacing: 6px; }
)";
    const std::pair<const char*, QColor> names[] = {
        {"@paper", t.paper}, {"@raised", t.raised},     {"@ink", t.ink},
        {"@faint", t.faint}, {"@hairline", t.hairline}, {"@within", t.within}};
    for (const auto& [name, color] : names) css.replace(name, color.name());
    return css;
}

QFont makeFont(const QStringList& families, int pixels, bool bold) {
    QFont font;
    font.setFamilies(families);
    font.setPixelSize(pixels);
    font.setWeight(bold ? QFont::DemiBold : QFont::Normal);
    return font;
}

QColor mix(const QColor& a, const QColor& b, double t) {
    const auto blend = [t](int x, int y) { return static_cast<int>(x + (y - x) * t); };
    return {blend(a.red(), b.red()), blend(a.green(), b.green()), blend(a.blue(), b.blue())};
}

}  // namespace

const Theme& theme() {
    return current().theme;
}
ThemeName currentTheme() {
    return current().name;
}

void setTheme(QApplication& application, ThemeName name) {
    current() = {name, name == ThemeName::Night ? makeNight() : makeDay()};
    application.setStyle(QStyleFactory::create("Fusion"));
    application.setFont(textFont(13));
    application.setPalette(makePalette(theme()));
    application.setStyleSheet(makeStyle(theme()));
    emit themeWatch().changed();
}

ThemeWatch& themeWatch() {
    static ThemeWatch watch;
    return watch;
}

QFont textFont(int pixels, bool bold) {
    return makeFont({"Inter", "Noto Sans", "DejaVu Sans"}, pixels, bold);
}

QFont figureFont(int pixels, bool bold) {
    return makeFont({"JetBrains Mono", "Noto Sans Mono", "DejaVu Sans Mono"}, pixels, bold);
}

QColor stateColor(State state) {
    return state == State::Over   ? theme().over
           : state == State::Near ? theme().near
                                  : theme().within;
}

void paintStateMark(QPainter& painter, const QPointF& centre, double radius, State state) {
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    const QColor color = stateColor(state);
    painter.setPen(QPen(color, 1.6));
    painter.setBrush(Qt::NoBrush);
    if (state == State::Over) {
        painter.setBrush(color);
        const double r = radius * 1.2;
        painter.drawPolygon(QPolygonF({centre + QPointF(0, -r), centre + QPointF(r, 0),
                                       centre + QPointF(0, r), centre + QPointF(-r, 0)}));
    } else {
        painter.drawEllipse(centre, radius, radius);
    }
    if (state == State::Near) {
        painter.setBrush(color);
        const QRectF box(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius);
        painter.drawChord(box, 180 * 16, 180 * 16);
    }
    painter.restore();
}

QColor heat(double t) {
    t = std::clamp(t, 0.0, 1.0);
    const QColor middle(0xF4, 0xF1, 0xEA);
    return t < 0.5 ? mix(theme().within, middle, t * 2) : mix(middle, theme().over, t * 2 - 1);
}

QString stateWord(State state) {
    return state == State::Over ? "over" : state == State::Near ? "near" : "within";
}

}  // namespace flentro::app
