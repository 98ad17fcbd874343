// A real window under a virtual screen with a small market, for tests with mouse and keys.

#pragma once

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <QApplication>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QElapsedTimer>
#include <QMimeData>
#include <QScrollArea>
#include <QSettings>
#include <QSignalSpy>
#include <QTabBar>
#include <QTest>
#include <QToolButton>

#include "io/gltf.h"
#include "main_window.h"
#include "ottermere.h"
#include "support/process.h"

namespace flentro::app {

using testing::HasSubstr;

/// Milliseconds. Only a failing test waits for so long: software rendering under sanitizers, or on
/// a machine whose cores are lent to others for a minute, is slow.
inline constexpr int kPatience = 90'000;

/// A small market on disk, made once.
inline const std::string& marketFile() {
    static const test::TemporaryFolder folder;
    static const std::string file = [] {
        const demo::Ottermere made = demo::makeOttermere({0.2, 0.15, 16}, 1);
        const std::string path = (folder / "market.glb").string();
        EXPECT_TRUE(writeGltf(made.scene, path, {}, noProgress()));
        return path;
    }();
    return file;
}

class Window : public testing::Test {
protected:
    void SetUp() override {
        QSettings().clear();
        setTheme(*qApp, ThemeName::Night);
        window_ = std::make_unique<MainWindow>();
        QObject::connect(&window_->document(), &Document::failed,
                         [this](const QString& message) { failure_ = message.toStdString(); });
        window_->show();
        ASSERT_TRUE(QTest::qWaitForWindowExposed(window_.get(), kPatience));
        window_->raise();
        window_->activateWindow();
        ASSERT_TRUE(QTest::qWaitFor([&] { return QApplication::activeWindow() == window_.get(); },
                                    kPatience));
    }
    void TearDown() override {
        window_->document().projectModel().undoStack().setClean();
        window_.reset();
    }

    bool settle() {
        int calm = 0;
        const bool settled = QTest::qWaitFor(
            [&] { return (calm = window_->isSettled() ? calm + 1 : 0) > 3; }, kPatience);
        EXPECT_TRUE(settled) << "document " << window_->document().isSettled() << ", view "
                             << window_->view().isSettled() << ", job "
                             << window_->document().jobs().name().toStdString() << ", failure "
                             << failure_;
        return settled;
    }
    void openMarket() {
        window_->open(QString::fromStdString(marketFile()));
        ASSERT_TRUE(settle());
        ASSERT_TRUE(window_->document().hasScene());
    }
    void addFix(const char* key) {
        window_->showStep(WorkStep::Fixes);
        window_->fixes().addOrShow(key, "");
        ASSERT_TRUE(settle());
    }
    /// With few spots and rays.
    void surveyCoarsely() {
        SurveyRequest request = window_->document().project().survey;
        request.spacing = 30;
        request.faceSize = 64;
        window_->document().projectModel().setSurvey(request, "coarse");
        window_->document().survey().run();
        ASSERT_TRUE(QTest::qWaitFor(
            [&] { return window_->document().survey().surveyed().exists(); }, 3 * kPatience));
        ASSERT_TRUE(settle());
    }
    template <typename T>
    T* find(const QString& accessibleName, QWidget* in = nullptr) {
        for (T* widget : (in ? in : window_.get())->findChildren<T*>())
            if (widget->accessibleName() == accessibleName) return widget;
        ADD_FAILURE() << "no " << accessibleName.toStdString();
        return nullptr;
    }
    QPushButton* button(const QString& text) {
        for (QPushButton* candidate : window_->findChildren<QPushButton*>())
            if (candidate->text() == text && candidate->isVisible()) return candidate;
        ADD_FAILURE() << "no button " << text.toStdString();
        return nullptr;
    }
    void click(QWidget* widget, const QPoint& at) {
        QTest::mouseClick(widget, Qt::LeftButton, Qt::NoModifier, at);
    }
    void key(int code) { QTest::keyClick(&window_->view(), static_cast<Qt::Key>(code)); }
    [[nodiscard]] double here(Measure measure) {
        return at(window_->document().here().after.counts, measure);
    }
    /// Share of the 3D view's pixels that are not the empty ground.
    double drawnShare() {
        const QImage image = window_->view().grabFramebuffer();
        const QRgb ground = theme().scene.rgb();
        int drawn = 0;
        for (int y = 0; y < image.height(); y += 4)
            for (int x = 0; x < image.width(); x += 4) drawn += image.pixel(x, y) != ground;
        return 16.0 * drawn / (image.width() * image.height());
    }

    std::unique_ptr<MainWindow> window_;
    std::string failure_;
    test::TemporaryFolder folder_;
};

}  // namespace flentro::app
