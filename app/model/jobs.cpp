#include "model/jobs.h"

#include <sys/resource.h>
#include <unistd.h>

#include <algorithm>

#include "base/guarded.h"

namespace flentro::app {

void yieldToInterface() {
    constexpr int kPatience = 10;
    setpriority(PRIO_PROCESS, static_cast<id_t>(gettid()), kPatience);
}

void JobProgress::report(double fraction, std::string_view message) {
    fraction_ = fraction;
    const std::lock_guard lock(mutex_);
    message_ = message;
}

QString JobProgress::message() const {
    const std::lock_guard lock(mutex_);
    return QString::fromStdString(message_);
}

namespace {

constexpr int kLanes = 3;
/// Between two showings of progress. Each composes a window with a 3D view in it: 30 ms and more
/// by a software renderer, on a core that the work wants.
constexpr int kTickMilliseconds = 250;

/// What to do instead of the result when a job has thrown.
template <typename Owner>
std::function<void()> tellOf(Owner* owner, const QString& name, const Error& error) {
    return [owner, text = (name.isEmpty() ? "" : name + ": ") +
                          QString::fromStdString(describe(error))] { emit owner->failed(text); };
}

}  // namespace

JobRunner::JobRunner(QObject* parent) : QObject(parent) {
    pool_.setMaxThreadCount(kLanes);
    ticker_.setInterval(kTickMilliseconds);
    connect(&ticker_, &QTimer::timeout, this, &JobRunner::changed);
}

JobRunner::~JobRunner() {
    cancelAll();
    pool_.waitForDone();
}

const JobRunner::Running* JobRunner::shown() const {
    return running_.empty() ? nullptr : &running_.front();
}

bool JobRunner::has(const QString& name) const {
    const auto isIt = [&](const auto& job) { return job.name == name; };
    return std::any_of(running_.begin(), running_.end(), isIt) ||
           std::any_of(waiting_.begin(), waiting_.end(), isIt);
}

void JobRunner::start(const QString& name, Work work, Lane lane) {
    cancel(name);
    waiting_.push_back({name, std::move(work), lane});
    beginWaiting();
}

/// Those whose lane is free, in their order.
void JobRunner::beginWaiting() {
    for (std::size_t i = 0; i < waiting_.size();) {
        const bool busy = std::any_of(running_.begin(), running_.end(), [&](const Running& job) {
            return job.lane == waiting_[i].lane;
        });
        if (busy) {
            ++i;
            continue;
        }
        const Waiting job = std::move(waiting_[i]);
        waiting_.erase(waiting_.begin() + static_cast<std::ptrdiff_t>(i));
        begin(job);
    }
}

void JobRunner::begin(const Waiting& job) {
    auto progress = std::make_shared<JobProgress>();
    running_.push_back({job.name, job.lane, progress, {}});
    running_.back().clock.start();
    ticker_.start();
    pool_.start([this, progress, work = job.work, name = job.name] {
        yieldToInterface();
        const auto outcome = guarded([&]() -> Expected<Finish> { return work(*progress); });
        Finish finish = outcome ? *outcome : Finish(tellOf(this, name, outcome.error()));
        QMetaObject::invokeMethod(
            this, [this, progress, finish = std::move(finish)] { finished(progress, finish); },
            Qt::QueuedConnection);
    });
    emit changed();
}

void JobRunner::finished(const std::shared_ptr<JobProgress>& progress, const Finish& finish) {
    const auto at = std::find_if(running_.begin(), running_.end(),
                                 [&](const Running& job) { return job.progress == progress; });
    const QString name = at->name;
    running_.erase(at);
    if (running_.empty()) ticker_.stop();
    const bool superseded =
        progress->cancelled() && std::any_of(waiting_.begin(), waiting_.end(),
                                             [&](const Waiting& job) { return job.name == name; });
    beginWaiting();
    if (finish && !superseded) {
        const auto done = guarded([&]() -> Expected<void> {
            finish();
            return {};
        });
        if (!done) tellOf(this, name, done.error())();
    }
    emit changed();
}

void JobRunner::cancel() {
    if (!running_.empty()) running_.front().progress->cancel();
}

void JobRunner::cancel(const QString& name) {
    std::erase_if(waiting_, [&](const Waiting& job) { return job.name == name; });
    for (const Running& job : running_)
        if (job.name == name) job.progress->cancel();
}

void JobRunner::cancelAll() {
    waiting_.clear();
    for (const Running& job : running_) job.progress->cancel();
}

QString JobRunner::name() const {
    return shown() ? shown()->name : QString();
}
double JobRunner::fraction() const {
    return shown() ? shown()->progress->fraction() : 0;
}
QString JobRunner::message() const {
    return shown() ? shown()->progress->message() : QString();
}

double JobRunner::secondsLeft() const {
    const double done = fraction();
    const double elapsed = shown() ? static_cast<double>(shown()->clock.elapsed()) / 1000 : 0;
    return done > 0.03 && elapsed > 0.5 ? elapsed / done - elapsed : -1;
}

LatestRunner::LatestRunner(QObject* parent) : QObject(parent) {
    pool_.setMaxThreadCount(1);
}

LatestRunner::~LatestRunner() {
    pool_.waitForDone();
}

void LatestRunner::request(std::function<std::function<void()>()> compute) {
    if (busy_)
        next_ = std::move(compute);
    else
        run(std::move(compute));
}

void LatestRunner::run(std::function<std::function<void()>()> compute) {
    busy_ = true;
    pool_.start([this, compute = std::move(compute)] {
        yieldToInterface();
        const auto outcome =
            guarded([&]() -> Expected<std::function<void()>> { return compute(); });
        auto finish = outcome ? *outcome : tellOf(this, {}, outcome.error());
        QMetaObject::invokeMethod(
            this,
            [this, finish = std::move(finish)] {
                busy_ = false;
                if (next_) run(std::exchange(next_, nullptr));
                finish();
            },
            Qt::QueuedConnection);
    });
}

}  // namespace flentro::app
