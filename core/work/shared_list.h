// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <initializer_list>
#include <iterator>
#include <memory>
#include <vector>

namespace moorhaze {

/// An immutable list that many values share: a copy costs one pointer, a changed list one pointer an item.
/// Thread-safe, as whatever does not change.
template <class Item>
class SharedList {
    using Items = std::vector<std::shared_ptr<const Item>>;

  public:
    class Iterator {
      public:
        using iterator_category = std::forward_iterator_tag;
        using value_type = Item;
        using difference_type = std::ptrdiff_t;
        using pointer = const Item*;
        using reference = const Item&;
        Iterator() = default;
        explicit Iterator(typename Items::const_iterator at) : at_(at) {}
        const Item& operator*() const { return **at_; }
        const Item* operator->() const { return at_->get(); }
        Iterator& operator++() {
            ++at_;
            return *this;
        }
        Iterator operator++(int) {
            const Iterator before = *this;
            ++at_;
            return before;
        }
        bool operator==(const Iterator&) const = default;

      private:
        typename Items::const_iterator at_;
    };

    SharedList() = default;
    SharedList(std::initializer_list<Item> items) : SharedList(std::vector<Item>(items)) {}
    explicit SharedList(const std::vector<Item>& items) {
        Items own;
        for (const Item& item : items) own.push_back(std::make_shared<const Item>(item));
        take(std::move(own));
    }

    int size() const { return int(items().size()); }
    bool empty() const { return items().empty(); }
    const Item& operator[](int place) const { return *items()[std::size_t(place)]; }
    const Item& front() const { return (*this)[0]; }
    const Item& back() const { return (*this)[size() - 1]; }
    Iterator begin() const { return Iterator(items().begin()); }
    Iterator end() const { return Iterator(items().end()); }

    /// The place of the first item that it holds for; size() if for none.
    template <class Predicate>
    int find(const Predicate& holds) const {
        int place = 0;
        while (place < size() && !holds((*this)[place])) ++place;
        return place;
    }

    SharedList appended(Item item) const {
        Items own = items();
        own.push_back(std::make_shared<const Item>(std::move(item)));
        return made(std::move(own));
    }
    SharedList replaced(int place, Item item) const {
        Items own = items();
        own[std::size_t(place)] = std::make_shared<const Item>(std::move(item));
        return made(std::move(own));
    }
    SharedList without(int place) const {
        Items own = items();
        own.erase(own.begin() + place);
        return made(std::move(own));
    }
    /// The items at these places, in this order.
    SharedList picked(const std::vector<int>& places) const {
        Items own;
        for (const int place : places) own.push_back(items()[std::size_t(place)]);
        return made(std::move(own));
    }
    /// True when the other list begins with the very items of this one: quick, and never wrong.
    bool is_shared_start_of(const SharedList& longer) const {
        return size() <= longer.size() && std::equal(items().begin(), items().end(), longer.items().begin());
    }

    bool operator==(const SharedList& other) const {
        if (items_ == other.items_) return true;
        return std::equal(items().begin(), items().end(), other.items().begin(), other.items().end(),
                          [](const auto& one, const auto& two) { return one == two || *one == *two; });
    }

  private:
    const Items& items() const {
        static const Items none;
        return items_ ? *items_ : none;
    }
    void take(Items own) {
        if (!own.empty()) items_ = std::make_shared<const Items>(std::move(own));
    }
    static SharedList made(Items own) {
        SharedList list;
        list.take(std::move(own));
        return list;
    }
    std::shared_ptr<const Items> items_;  ///< null for an empty list
};

}  // namespace moorhaze
