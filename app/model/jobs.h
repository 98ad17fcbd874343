// Long work off the interface thread.
//
// A job copies its inputs on the interface thread, computes on a worker, and hands its result
// back on the interface thread. A worker never touches a widget; a widget never waits.

#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QString>
#include <QThreadPool>
#include <QTimer>
#include <atomic>
#include <functional>
#include <memory>
#include <mutex>

#include "base/progress.h"

namespace flentro::app {

/// Lets the interface and the drawing go first: for workers, at the start of their work. Threads
/// that they start are as patient as they are.
void yieldToInterface();

/// Progress that the interface thread can read at any time.
class JobProgress final : public Progress {
public:
    void report(double fraction, std::string_view message) override;
    [[nodiscard]] bool cancelled() const override { return cancelled_; }
    void cancel() { cancelled_ = true; }
    [[nodiscard]] double fraction() const { return fraction_; }
    [[nodiscard]] QString message() const;

private:
    std::atomic<bool> cancelled_ = false;
    std::atomic<double> fraction_ = 0;
    mutable std::mutex mutex_;
    std::string message_;
};

/// Name of the job that applies the fixes of findings to measure their relief. It may take a
/// minute; starting a survey cancels it.
inline constexpr const char* kTryingFixes = "Trying fixes";

/// Long jobs of one lane run one after the other; those of different lanes side by side.
enum class Lane {
    Files,   ///< Opening, exporting, previews.
    Order,   ///< Evaluating the work order: its cache is used by one job at a time.
    Survey,  ///< Minutes: nothing else waits for it.
};

/// Runs long jobs on workers. What a job throws is told by failed(), and nothing else is lost.
class JobRunner : public QObject {
    Q_OBJECT

public:
    explicit JobRunner(QObject* parent = nullptr);
    /// Cancels all jobs and waits until they have stopped.
    ~JobRunner() override;

    /// `work` runs on a worker and returns what to do with its result on the interface thread.
    using Finish = std::function<void()>;
    using Work = std::function<Finish(Progress&)>;

    /// Starts a job; if one of the same name runs, it is cancelled first and its result dropped.
    void start(const QString& name, Work work, Lane lane = Lane::Files);
    /// Cancels the job that is shown; all others go on.
    void cancel();
    /// Cancels the job of that name, also while it waits.
    void cancel(const QString& name);
    void cancelAll();

    [[nodiscard]] bool isRunning() const { return shown() != nullptr; }
    /// True while a job of that name runs or waits.
    [[nodiscard]] bool has(const QString& name) const;
    // Of the job that is shown: of those that run the one that began first.
    [[nodiscard]] QString name() const;
    [[nodiscard]] double fraction() const;
    [[nodiscard]] QString message() const;
    /// Seconds; negative while it cannot be told.
    [[nodiscard]] double secondsLeft() const;
    [[nodiscard]] std::size_t runningCount() const { return running_.size(); }

signals:
    void changed();  ///< Started, went on, or ended.
    void failed(const QString& message);

private:
    struct Waiting {
        QString name;
        Work work;
        Lane lane;
    };
    struct Running {
        QString name;
        Lane lane;
        std::shared_ptr<JobProgress> progress;
        QElapsedTimer clock;
    };
    [[nodiscard]] const Running* shown() const;
    void beginWaiting();
    void begin(const Waiting& job);
    void finished(const std::shared_ptr<JobProgress>& progress, const Finish& finish);

    QThreadPool pool_;
    std::vector<Running> running_;  ///< In the order in which they began.
    std::vector<Waiting> waiting_;
    QTimer ticker_;
};

/// Runs small computations in the background of which only the latest counts: counters while
/// walking. Requests that come while one runs replace each other.
class LatestRunner : public QObject {
    Q_OBJECT

public:
    explicit LatestRunner(QObject* parent = nullptr);
    /// Waits for what runs: work that takes longer than some milliseconds asks its own flag.
    ~LatestRunner() override;
    /// `compute` runs on a worker; what it returns runs on the interface thread.
    void request(std::function<std::function<void()>()> compute);
    [[nodiscard]] bool isIdle() const { return !busy_; }

signals:
    void failed(const QString& message);

private:
    void run(std::function<std::function<void()>()> compute);
    QThreadPool pool_;
    bool busy_ = false;
    std::function<std::function<void()>()> next_;
};

}  // namespace flentro::app
