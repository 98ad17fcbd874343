// Stills of any level of one asset beside the original: at its switch distance, at any other,
// or walking away and back; and of any other triangle count.

#pragma once

#include <QComboBox>
#include <QImage>
#include <QSlider>

#include "fixes/ladder/level_preview.h"
#include "widgets/elements.h"

namespace flentro::app {

/// Two pictures side by side, small ones enlarged with their true size in the corner.
class StillPair : public QWidget {
    Q_OBJECT

public:
    explicit StillPair(QWidget* parent = nullptr);
    void show(const QImage& original, const QString& left, const QImage& level,
              const QString& right);
    [[nodiscard]] const QImage& level() const { return level_; }
    /// Pixels that the longer edge of a picture may have.
    [[nodiscard]] int pictureEdge() const;

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    void paintStill(QPainter& painter, const QRect& box, const QImage& image,
                    const QString& caption) const;
    QImage original_, level_;
    QString left_, right_;
};

class LevelLooks : public QWidget {
    Q_OBJECT

public:
    explicit LevelLooks(QWidget* parent = nullptr);

    /// The asset before and after its ladder was made.
    void setAsset(ScenePtr before, ScenePtr after, std::size_t asset, const Target& target);
    void clear();

    [[nodiscard]] StillPair& stills() { return *stills_; }
    /// True while a picture is being made.
    [[nodiscard]] bool isBusy() const { return !worker_.isIdle(); }
    [[nodiscard]] bool isWalking() const { return walk_.isActive(); }

signals:
    void yardRequested();

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    void buildHead(QVBoxLayout* layout);
    void connectControls();
    void fillLevels();
    void standAtSwitch(int level);
    void setDistance(double distance);
    void setTriangles(std::size_t triangles);
    void stepWalk();
    void request();
    void adopt(const LevelPreview::Wanted& wanted, const LevelPreview::Shown& shown);
    [[nodiscard]] const Asset& asset() const { return after_->assets[index_]; }
    [[nodiscard]] bool isAsSeenBy(const Target& target) const;
    [[nodiscard]] double nearest() const;
    [[nodiscard]] double farthest() const;

    ScenePtr before_, after_;
    std::size_t index_ = 0;
    Target target_;
    std::shared_ptr<LevelPreview> preview_;  ///< Made and used by the worker alone.
    LevelPreview::Wanted wanted_;
    bool stale_ = false;  ///< Asked for while hidden.
    QElapsedTimer walkClock_;

    StillPair* stills_;
    QComboBox* levels_;
    QSlider* distance_;
    QLabel* distanceText_;
    QSlider* triangles_;
    QLabel* trianglesText_;
    QLabel* reading_;
    QPushButton* walkButton_;
    QTimer walk_;
    LatestRunner worker_;
};

}  // namespace flentro::app
