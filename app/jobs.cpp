#include "jobs.h"

#include <sys/resource.h>
#include <unistd.h>

#include <algorithm>

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

JobRunner::JobRunner(QObject* parent) : QObject(parent) {
    pool_.setMaxThreadCount(1);
    ticker_.setInterval(100);
    connect(&ticker_, &QTimer::timeout, this, &JobRunner::changed);
}

JobRunner::~JobRunner() {
    cancel();
    pool_.waitForDone();
}

void JobRunner::start(const QString& name, Work work) {
    std::erase_if(waiting_, [&](const Waiting& job) { return job.name == name; });
    waiting_.push_back({name, std::move(work)});
    if (!running_) {
        const Waiting job = waiting_.front();
        waiting_.erase(waiting_.begin());
        begin(job);
    } else if (name_ == name) {
        running_->cancel();
    }
}

void JobRunner::begin(const Waiting& job) {
    running_ = std::make_shared<JobProgress>();
    name_ = job.name;
    clock_.start();
    ticker_.start();
    pool_.start([this, progress = running_, work = job.work] {
        yieldToInterface();
        Finish finish = work(*progress);
        QMetaObject::invokeMethod(
            this, [this, progress, finish = std::move(finish)] { finished(progress, finish); },
            Qt::QueuedConnection);
    });
    emit changed();
}

void JobRunner::finished(const std::shared_ptr<JobProgress>& progress, const Finish& finish) {
    running_ = nullptr;
    ticker_.stop();
    const bool superseded =
        progress->cancelled() && std::any_of(waiting_.begin(), waiting_.end(),
                                             [&](const Waiting& job) { return job.name == name_; });
    if (!waiting_.empty()) {
        const Waiting next = waiting_.front();
        waiting_.erase(waiting_.begin());
        begin(next);
    }
    if (finish && !superseded) finish();
    emit changed();
}

void JobRunner::cancel() {
    waiting_.clear();
    if (running_) running_->cancel();
}

double JobRunner::fraction() const {
    return running_ ? running_->fraction() : 0;
}
QString JobRunner::message() const {
    return running_ ? running_->message() : QString();
}

double JobRunner::secondsLeft() const {
    const double done = fraction();
    const double elapsed = static_cast<double>(clock_.elapsed()) / 1000;
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
        auto finish = compute();
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
