// Records a walk through the scene and plays it back.

#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>

#include "model/document.h"

namespace flentro::app {

class WalkRecorder : public QObject {
    Q_OBJECT

public:
    explicit WalkRecorder(Document& document, QObject* parent = nullptr);

    [[nodiscard]] bool isRecording() const { return recording_; }
    [[nodiscard]] bool isPlaying() const { return player_.isActive(); }

    void record();  ///< From the present view on.
    void stop();    ///< Ends recording, which can be undone, or playing.
    void play();    ///< The recorded walk, at a walking pace.

signals:
    void changed();

private:
    void note();
    void step();

    Document& document_;
    bool recording_ = false;
    std::vector<Viewpoint> walk_;
    QTimer player_;
    QElapsedTimer clock_;
};

}  // namespace flentro::app
