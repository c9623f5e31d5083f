// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QString>
#include <algorithm>
#include <functional>
#include <list>
#include <optional>
#include <tl/expected.hpp>
#include <vector>

#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// A sentence for a person: why something cannot be.
struct Why {
    QString text;
    /// It waits for something that is being made: what is shown meanwhile may stay if it may come back.
    bool is_for_now = false;
};

/// How a derived value stands to what it is made from.
enum class DerivedState {
    absent,     ///< there can be none now
    under_way,  ///< it is being made, and nothing may be shown for it meanwhile
    stale,      ///< it is being made, and what serves until it is there is shown: one made from other inputs,
                ///< or a part of it
    current,    ///< made from today's inputs
    failed      ///< of today's inputs none can be made
};

class DerivedTable;

/// A row of the table of derived values, whatever it is made of.
class DerivedRow : public QObject {
    Q_OBJECT
  public:
    DerivedRow(QString name, DerivedTable& table, QObject* parent);
    ~DerivedRow() override;

    const QString& name() const { return name_; }
    virtual DerivedState state() const = 0;
    /// Why there is none, in words; empty unless it is absent or failed.
    virtual QString why() const = 0;
    /// Asks the inputs anew; what follows from something other than document, products and standpoint calls
    /// it when that changes.
    virtual void follow() = 0;
    /// Makes it once more of the same inputs: what was read may read otherwise now.
    virtual void make_again() = 0;
    /// True when nothing of it is being made, wanted or not, nor waits for what is.
    virtual bool is_settled() const = 0;

  signals:
    void changed();                    ///< another value or another state
    void failed(const QString& what);  ///< in words, once for each inputs

  private:
    QString name_;
    DerivedTable& table_;
};

/// All derived values of a session. Their inputs are asked anew whenever what they are made from has settled,
/// and what cannot be made is said in one place.
class DerivedTable : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;
    const std::vector<DerivedRow*>& rows() const { return rows_; }
    /// What they are made from has settled.
    void follow();

  signals:
    void failed(const QString& what);

  private:
    friend class DerivedRow;
    std::vector<DerivedRow*> rows_;
};

/// What is computed for the eye beside the interface. It is made anew when what it is made from differs, the
/// newest wish replaces older ones, and it is kept only where its inputs equal today's: so nothing of another
/// document, of an earlier edit or of a cancelled wish is ever taken for what is true. Nobody else guards.
/// @tparam Inputs  a value with ==; what names something within a document names the document, too.
/// @tparam Value   cheap to copy.
template <class Inputs, class Value>
class Derived : public DerivedRow {
  public:
    struct Rule {
        QString name;
        /// What it is made from now, or why there can be none. A pure function of what settles.
        std::function<tl::expected<Inputs, Why>()> inputs;
        /// In another thread.
        std::function<Value(const Inputs&, const Job&)> make = {};
        /// Instead of `make`, where parts of it are worth seeing: each value given to `so_far` is shown until
        /// the next one, or the whole, is there.
        std::function<Value(const Inputs&, const Job&, const std::function<void(const Value&)>& so_far)>
            make_in_parts = {};
        /// Whether what was made from other inputs may be shown until today's is there; empty: never.
        std::function<bool(const Inputs& made_from, const Inputs& today)> serves = {};
        /// Whether a wish under way is stopped by the next one; with a moving hand it may come to its end, so
        /// that something is seen before the hand rests.
        LatestWish::Replaced replaced = LatestWish::Replaced::stops;
        /// How many values are kept, for inputs that come back.
        std::size_t most_kept = 1;
        /// Whether inputs may come back after there could be none; others are forgotten as soon as they
        /// differ.
        std::function<bool(const Inputs&)> may_come_back = {};
    };

    Derived(Rule rule, DerivedTable& table, QObject* parent = nullptr)
        : DerivedRow(rule.name, table, parent), rule_(std::move(rule)), wish_(rule_.replaced) {}

    /// The value of today's inputs, or one that serves until it is there; null when there is neither.
    const Value* value() const { return shown_ ? &shown_->second : nullptr; }
    /// What the value was made from; null without one.
    const Inputs* made_from() const { return shown_ ? &shown_->first : nullptr; }
    /// What it is, or would be, made from now.
    const std::optional<Inputs>& wanted() const { return wanted_; }
    /// True when the value of these inputs is there and would be shown at once.
    bool knows(const Inputs& inputs) const {
        return std::any_of(kept_.begin(), kept_.end(), [&](const Made& own) { return own.first == inputs; });
    }
    bool is_current() const { return state() == DerivedState::current; }

    DerivedState state() const override {
        if (!wanted_ && why_.is_for_now) return shown_ ? DerivedState::stale : DerivedState::under_way;
        if (!wanted_) return DerivedState::absent;
        if (shown_ && shown_->first == *wanted_ && !is_part_) return DerivedState::current;
        if (has_failed_) return DerivedState::failed;
        return shown_ ? DerivedState::stale : DerivedState::under_way;
    }
    QString why() const override { return why_.text; }

    void follow() override {
        auto today = rule_.inputs();
        if (!today) {
            const bool stays = today.error().is_for_now && shown_ && may_come_back(shown_->first);
            const bool differs = wanted_ || (shown_ && !stays) || why_.text != today.error().text;
            wish_.drop();
            wanted_.reset();
            has_failed_ = false;
            if (!stays) shown_.reset();
            why_ = today.error();
            forget_gone();
            if (differs) emit changed();
            return;
        }
        const bool is_same = wanted_ == *today;
        if (!is_same) wanted_ = std::move(*today);
        forget_gone();
        if (!is_same) begin();
    }

    void make_again() override {
        if (!wanted_) return;
        std::erase_if(kept_, [&](const Made& own) { return own.first == *wanted_; });
        shown_.reset();
        begin();
    }

    bool is_settled() const override { return !wish_.is_busy() && (wanted_ || !why_.is_for_now); }

  private:
    using Made = std::pair<Inputs, Value>;

    /// What is made from may be large: it is let go as soon as it cannot be wanted again.
    void forget_gone() {
        std::erase_if(kept_, [&](const Made& own) { return !may_come_back(own.first); });
    }
    bool may_come_back(const Inputs& inputs) const {
        return inputs == wanted_ || (rule_.may_come_back && rule_.may_come_back(inputs));
    }

    void begin() {
        why_ = {};
        has_failed_ = false;
        const auto known =
            std::find_if(kept_.begin(), kept_.end(), [&](const Made& own) { return own.first == *wanted_; });
        if (known != kept_.end()) {
            kept_.splice(kept_.begin(), kept_, known);
            show(kept_.front(), false);
            wish_.drop();
            emit changed();
            return;
        }
        if (shown_ && !serves(shown_->first)) shown_.reset();
        wish_.want(
            making(*wanted_), [this, inputs = *wanted_](const Value& value) { take(inputs, value); },
            [this, inputs = *wanted_](const std::exception& error) { fail(inputs, error); });
        emit changed();
    }

    std::function<Value(const Job&)> making(const Inputs& inputs) {
        if (!rule_.make_in_parts)
            return [make = rule_.make, inputs](const Job& job) { return make(inputs, job); };
        return [this, make = rule_.make_in_parts, inputs, slot = wish_.slot()](const Job& job) {
            // Called in the thread of the row, which drops its mailbox before it goes.
            return make(inputs, job, [&](const Value& value) {
                slot.post([this, inputs, value, stop = job.stop] {
                    if (!stop.stop_requested()) take_part(inputs, value);
                });
            });
        };
    }

    void show(const Made& made, bool is_part) {
        shown_ = made;
        is_part_ = is_part;
    }

    bool serves(const Inputs& made_from) const {
        return wanted_ && rule_.serves && rule_.serves(made_from, *wanted_);
    }

    /// The inputs are asked once more: something may have changed that has not settled yet.
    void take(const Inputs& inputs, const Value& value) {
        follow();
        if (!wanted_) return;
        const bool is_todays = inputs == *wanted_;
        if (!is_todays && !serves(inputs)) return;
        if (!is_todays && is_current()) return;
        show({inputs, value}, false);
        if (is_todays) {
            kept_.push_front(*shown_);
            while (kept_.size() > std::max<std::size_t>(1, rule_.most_kept)) kept_.pop_back();
        }
        emit changed();
    }

    void take_part(const Inputs& inputs, const Value& value) {
        follow();
        if (!wanted_ || inputs != *wanted_ || is_current()) return;
        show({inputs, value}, true);
        emit changed();
    }

    void fail(const Inputs& inputs, const std::exception& error) {
        follow();
        if (!wanted_ || inputs != *wanted_) return;
        has_failed_ = true;
        why_ = {QString::fromUtf8(error.what())};
        shown_.reset();
        emit failed(why_.text);
        emit changed();
    }

    Rule rule_;
    std::optional<Inputs> wanted_;
    std::optional<Made> shown_;
    bool is_part_ = false;  ///< of what is shown: more of it is to come
    std::list<Made> kept_;  ///< most recently used first
    Why why_;
    bool has_failed_ = false;
    LatestWish wish_;  ///< the first to go
};

}  // namespace moorhaze::desktop
