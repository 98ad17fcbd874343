#include "view/yard_bench.h"

#include <QOpenGLContext>
#include <QThread>
#include <algorithm>

#include "base/median.h"
#include "view/renderer.h"

namespace flentro::app {
namespace {

constexpr int kFrames = 5;
const QSize kSize(1280, 720);
constexpr int kPollMilliseconds = 5;

/// A renderer with a scene of its own on the card, released in the right order.
class Stage {
public:
    explicit Stage(Gl* gl) {
        gpu_.initialise(gl);
        renderer_.initialise(gl, &gpu_);
    }
    ~Stage() {
        renderer_.release();
        gpu_.release();
    }
    Stage(const Stage&) = delete;
    Stage& operator=(const Stage&) = delete;

    YardFigures measure(const QString& name, const std::shared_ptr<const Scene>& yard,
                        const Target& target, const Progress& progress) {
        YardFigures figures;
        figures.variant = name;
        Frame frame;
        frame.scene = yard;
        frame.target = target;
        frame.view = yardView(*yard, target);
        frame.size = kSize;
        frame.timed = true;
        figures.counts = viewCost(*yard, target, frame.view).counts;
        draw(frame);  // uploads meshes and asks for pictures
        while (gpu_.isBusy())
            if (!gpu_.uploadFinished()) QThread::msleep(kPollMilliseconds);
        draw(frame);
        std::vector<double> whole, gpu, cpu;
        for (int i = 0; i < kFrames && !progress.cancelled(); ++i) {
            draw(frame);
            whole.push_back(renderer_.lastTimes().frame);
            gpu.push_back(renderer_.lastTimes().gpu);
            cpu.push_back(renderer_.lastTimes().cpu);
        }
        figures.frameMilliseconds = median(whole);
        figures.gpuMilliseconds = median(gpu);
        figures.cpuMilliseconds = median(cpu);
        figures.picture = renderer_.picture();
        return figures;
    }

private:
    void draw(const Frame& frame) {
        renderer_.begin(frame);
        while (!renderer_.advance(std::numeric_limits<double>::infinity()))
            QThread::msleep(kPollMilliseconds);
    }

    GpuScene gpu_;
    Renderer renderer_;
};

}  // namespace

YardBench::YardBench() {
    surface_.create();
}

YardReport YardBench::run(const Scene& from, const std::vector<YardVariant>& variants,
                          std::size_t copies, const Target& target, Progress& progress) {
    YardReport report;
    report.size = kSize;
    report.frames = kFrames;
    QOpenGLContext context;
    context.setFormat(surface_.format());
    Gl gl;
    if (!context.create() || !context.makeCurrent(&surface_) || !gl.initializeOpenGLFunctions()) {
        report.failure = QObject::tr("No OpenGL 3.3 for drawing off screen.");
        return report;
    }
    report.renderer = reinterpret_cast<const char*>(gl.glGetString(GL_RENDERER));
    {
        Stage stage(&gl);
        for (std::size_t i = 0; i < variants.size() && !progress.cancelled(); ++i) {
            progress.report(static_cast<double>(i) / static_cast<double>(variants.size()),
                            "Drawing " + variants[i].name);
            const auto yard =
                std::make_shared<const Scene>(makeYard(from, variants[i].asset, copies));
            report.figures.push_back(
                stage.measure(QString::fromStdString(variants[i].name), yard, target, progress));
        }
    }
    context.doneCurrent();
    return report;
}

}  // namespace flentro::app
