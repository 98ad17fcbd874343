// What was found out about single meshes and images, kept from one diagnosis to the next.

#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <string>

#include "base/hash.h"

namespace flentro {

/// Results that depend on nothing but the content of one mesh or image. Reentrant.
class Memo {
public:
    /// The result of this name for that content; made by `make()` where it is not known. Two
    /// threads may both make what neither knows: the results are the same.
    template <typename Make>
    [[nodiscard]] auto get(const char* name, const Hash& content, const Make& make) {
        using Result = decltype(make());
        if (const auto known = find<Result>(name, content)) return *known;
        Result made = make();
        put(name, content, made);
        return made;
    }
    /// Null where it is not known.
    template <typename Result>
    [[nodiscard]] std::shared_ptr<const Result> find(const char* name, const Hash& content) {
        const std::lock_guard lock(mutex_);
        const auto found = results_.find({name, content});
        if (found == results_.end()) return nullptr;
        found->second.used = now_;
        return std::static_pointer_cast<const Result>(found->second.result);
    }
    template <typename Result>
    void put(const char* name, const Hash& content, Result result) {
        const std::lock_guard lock(mutex_);
        ++made_;
        results_[{name, content}] = {std::make_shared<const Result>(std::move(result)), now_};
    }

    /// Begins a diagnosis; forgets what the one before did not ask for.
    void begin() {
        const std::lock_guard lock(mutex_);
        std::erase_if(results_, [&](const auto& entry) { return entry.second.used < now_; });
        ++now_;
        made_ = 0;
    }
    /// Results made since then.
    [[nodiscard]] std::size_t made() const {
        const std::lock_guard lock(mutex_);
        return made_;
    }

private:
    using Key = std::pair<std::string, Hash>;
    struct Entry {
        std::shared_ptr<const void> result;
        std::size_t used = 0;  ///< The diagnosis that asked last.
    };
    mutable std::mutex mutex_;
    std::map<Key, Entry> results_;
    std::size_t now_ = 0;
    std::size_t made_ = 0;
};

}  // namespace flentro
