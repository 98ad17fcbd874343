// All keys of the window on one sheet.

#pragma once

#include <QDialog>

class QMenuBar;

namespace flentro::app {

/// The shortcuts of all menus, as they are set, and the keys that the view takes itself.
class KeySheet : public QDialog {
public:
    explicit KeySheet(const QMenuBar& menus, QWidget* parent = nullptr);
};

}  // namespace flentro::app
