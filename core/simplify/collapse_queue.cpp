#include "simplify/collapse_queue.h"

namespace flentro {

void CollapseQueue::place(std::size_t slot, const Entry& entry) {
    heap_[slot] = entry;
    slot_[entry.position] = static_cast<std::uint32_t>(slot);
}

void CollapseQueue::rise(std::size_t slot, const Entry& entry) {
    while (slot > 0 && entry < heap_[(slot - 1) / 2]) {
        place(slot, heap_[(slot - 1) / 2]);
        slot = (slot - 1) / 2;
    }
    place(slot, entry);
}

void CollapseQueue::sink(std::size_t slot, const Entry& entry) {
    for (;;) {
        std::size_t child = 2 * slot + 1;
        if (child >= heap_.size()) break;
        if (child + 1 < heap_.size() && heap_[child + 1] < heap_[child]) ++child;
        if (!(heap_[child] < entry)) break;
        place(slot, heap_[child]);
        slot = child;
    }
    place(slot, entry);
}

void CollapseQueue::set(std::uint32_t position, double cost) {
    const Entry entry{cost, position};
    if (slot_[position] == kNone) {
        heap_.push_back(entry);
        rise(heap_.size() - 1, entry);
        return;
    }
    const std::size_t slot = slot_[position];
    if (entry < heap_[slot])
        rise(slot, entry);
    else
        sink(slot, entry);
}

void CollapseQueue::remove(std::uint32_t position) {
    const std::size_t slot = slot_[position];
    if (slot == kNone) return;
    slot_[position] = kNone;
    const Entry last = heap_.back();
    heap_.pop_back();
    if (slot == heap_.size()) return;
    if (slot > 0 && last < heap_[(slot - 1) / 2])
        rise(slot, last);
    else
        sink(slot, last);
}

}  // namespace flentro
