// Paper, ink and the marks of load: everything that has a colour asks here.

#pragma once

#include <QColor>
#include <QFont>
#include <QObject>
#include <QPainter>

#include "budget/target.h"

class QApplication;

namespace flentro::app {

enum class ThemeName { Night, Day };

struct Theme {
    QColor paper;     ///< Ground of the window.
    QColor raised;    ///< Ground of cards and fields.
    QColor ink;       ///< Text and lines.
    QColor faint;     ///< Secondary text.
    QColor hairline;  ///< Rules between things.
    QColor scene = QColor(0x2A, 0x30, 0x38);
    QColor within = QColor(0x4C, 0x8D, 0xBF);
    QColor near = QColor(0xD3, 0x9A, 0x2D);
    QColor over = QColor(0xB8, 0x40, 0x6A);
};

[[nodiscard]] const Theme& theme();
[[nodiscard]] ThemeName currentTheme();

/// Tells what has taken colours to take them anew; what only paints is painted anew by itself.
class ThemeWatch : public QObject {
    Q_OBJECT

signals:
    void changed();
};
[[nodiscard]] ThemeWatch& themeWatch();

/// Applies colours, fonts and style sheet to the whole application.
void setTheme(QApplication& application, ThemeName name);

[[nodiscard]] QFont textFont(int pixels, bool bold = false);
/// Figures of equal width.
[[nodiscard]] QFont figureFont(int pixels, bool bold = false);

[[nodiscard]] QColor stateColor(State state);

/// Open ring, half-filled ring or filled lozenge: the state is told by shape as well.
void paintStateMark(QPainter& painter, const QPointF& centre, double radius, State state);

/// The one heat scale: blue at 0, paper at 0.5, plum at 1.
[[nodiscard]] QColor heat(double t);

[[nodiscard]] QString stateWord(State state);

}  // namespace flentro::app
