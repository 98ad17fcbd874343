#include "model/walk_recorder.h"

#include <cmath>

namespace flentro::app {
namespace {

constexpr double kStride = 0.5;    ///< Metres between recorded points.
constexpr double kPace = 3.0;      ///< Metres a second when played back.
constexpr int kPlayInterval = 40;  ///< Milliseconds.

}  // namespace

WalkRecorder::WalkRecorder(Document& document, QObject* parent)
    : QObject(parent), document_(document) {
    player_.setInterval(kPlayInterval);
    connect(&player_, &QTimer::timeout, this, &WalkRecorder::step);
    connect(&document.projectModel(), &ProjectModel::viewChanged, this, &WalkRecorder::note);
    connect(&document, &Document::sceneChanged, this, [this] {
        recording_ = false;
        player_.stop();
        emit changed();
    });
}

void WalkRecorder::record() {
    if (!document_.hasScene()) return;
    player_.stop();
    recording_ = true;
    walk_ = {document_.view()};
    emit changed();
}

void WalkRecorder::note() {
    if (!recording_) return;
    if ((document_.view().eye - walk_.back().eye).norm() >= kStride)
        walk_.push_back(document_.view());
}

void WalkRecorder::stop() {
    player_.stop();
    if (recording_ && walk_.size() > 1) document_.projectModel().setWalk(walk_, tr("Record walk"));
    recording_ = false;
    emit changed();
}

void WalkRecorder::play() {
    if (document_.project().walk.size() < 2) return;
    recording_ = false;
    clock_.start();
    player_.start();
    emit changed();
}

void WalkRecorder::step() {
    const std::vector<Viewpoint>& walk = document_.project().walk;
    double left = kPace * static_cast<double>(clock_.elapsed()) / 1000;
    for (std::size_t i = 0; i + 1 < walk.size(); ++i) {
        const Vec3d by = walk[i + 1].eye - walk[i].eye;
        const double length = by.norm();
        if (left > length) {
            left -= length;
            continue;
        }
        Viewpoint view = walk[i];
        const double t = length > 0 ? left / length : 0;
        view.eye += t * by;
        view.heading += t * std::remainder(walk[i + 1].heading - view.heading, 360);
        view.pitch += t * (walk[i + 1].pitch - view.pitch);
        document_.projectModel().setView(view);
        return;
    }
    stop();
}

}  // namespace flentro::app
