// Tables of fields: the settings of one fix, read and written by their fields.

#pragma once

#include <functional>
#include <map>
#include <set>

#include "base/index.h"
#include "fixes/field.h"

namespace flentro {

namespace detail {

/// Checks and reads values of one type; nullopt of a value that is not allowed.
[[nodiscard]] Check checkNumber(const Field& field, const Json& value);
[[nodiscard]] Check refuse(const Field& field, const Json& value);
[[nodiscard]] Check checkRising(const Field& field, const Json& rows);
[[nodiscard]] Check inside(const std::string& key, Check check);
[[nodiscard]] Check unknownMember(const std::string& name, const std::vector<Field>& fields);
[[nodiscard]] Check readRuns(const Field& field, const Json& value, std::vector<MeshRuns>& runs);
[[nodiscard]] Json writeRuns(const std::vector<MeshRuns>& runs);
/// The member of an object, or null: by its present key, in version 1 also by the former one.
[[nodiscard]] const Json* findMember(const Json& object, const Field& field, int version);

}  // namespace detail

/// The fields of a struct of settings, in the order in which they are shown.
template <typename S>
class FieldTable {
public:
    /// Real or whole, by the type of the member.
    template <typename T>
    requires std::is_arithmetic_v<T> FieldTable& number(const char* key, T S::*member,
                                                        double minimum, double maximum,
                                                        const FieldText& text) {
        Field field =
            make(key, std::is_integral_v<T> ? Field::Type::Whole : Field::Type::Number, text);
        field.minimum = minimum;
        field.maximum = maximum;
        return add(
            field, [member](const S& s) { return isFinite(s.*member) ? Json(s.*member) : Json(); },
            [member, field](S& s, const Json& value, int) -> Check {
                if (auto wrong = detail::checkNumber(field, value)) return wrong;
                s.*member = value.get<T>();
                return {};
            });
    }
    FieldTable& flag(const char* key, bool S::*member, const FieldText& text) {
        return plain(make(key, Field::Type::Switch, text), member, &Json::is_boolean);
    }
    FieldTable& string(const char* key, std::string S::*member, const FieldText& text) {
        return plain(make(key, Field::Type::Text, text), member, &Json::is_string);
    }
    /// An enum whose values count from 0 in the order of `choices`.
    template <typename Enum>
    FieldTable& choice(const char* key, Enum S::*member, std::vector<FieldChoice> choices,
                       const FieldText& text) {
        Field field = make(key, Field::Type::Choice, text);
        field.choices = std::move(choices);
        return add(
            field,
            [member, field](const S& s) { return Json(elementOf(field.choices, s.*member).key); },
            [member, field](S& s, const Json& value, int) -> Check {
                for (std::size_t i = 0; i < field.choices.size(); ++i) {
                    if (value != field.choices[i].key) continue;
                    s.*member = static_cast<Enum>(i);
                    return {};
                }
                return detail::refuse(field, value);
            });
    }
    /// A list of numbers, rising where they are real.
    template <typename T>
    FieldTable& numbers(const char* key, std::vector<T> S::*member, double minimum, double maximum,
                        const FieldText& text) {
        Field field =
            make(key, std::is_integral_v<T> ? Field::Type::Wholes : Field::Type::Numbers, text);
        field.minimum = minimum;
        field.maximum = maximum;
        return add(
            field, [member](const S& s) { return Json(s.*member); },
            [member, field](S& s, const Json& value, int) -> Check {
                if (!value.is_array()) return detail::refuse(field, value);
                std::vector<T> read;
                for (const Json& element : value) {
                    if (detail::checkNumber(field, element)) return detail::refuse(field, value);
                    read.push_back(element.get<T>());
                    const bool falls = read.size() > 1 && read.back() <= read[read.size() - 2];
                    if (falls && !std::is_integral_v<T>) return detail::refuse(field, value);
                }
                s.*member = std::move(read);
                return {};
            });
    }
    FieldTable& names(const char* key, std::set<std::string> S::*member, const FieldText& text) {
        const Field field = make(key, Field::Type::Names, text);
        return add(
            field, [member](const S& s) { return Json(s.*member); },
            [member, field](S& s, const Json& value, int) -> Check {
                if (!value.is_array()) return detail::refuse(field, value);
                for (const Json& name : value)
                    if (!name.is_string()) return detail::refuse(field, value);
                s.*member = value.get<std::set<std::string>>();
                return {};
            });
    }
    /// At least one row; the column `rising` must rise from row to row, nothing counting as
    /// infinity.
    template <typename R>
    FieldTable& rows(const char* key, std::vector<R> S::*member, const FieldTable<R>& columns,
                     const char* rising, const FieldText& text) {
        Field field = make(key, Field::Type::Rows, text);
        field.rising = rising;
        field.columns = columns.fields();
        return add(
            field,
            [member, columns](const S& s) {
                Json list = Json::array();
                for (const R& row : s.*member) list.push_back(columns.toJson(row));
                return list;
            },
            [member, columns, field](S& s, const Json& value, int version) -> Check {
                if (!value.is_array() || value.empty()) return detail::refuse(field, value);
                std::vector<R> read;
                for (const Json& row : value) {
                    const std::string at = field.key + "." + std::to_string(read.size());
                    if (auto wrong = columns.read(row, read.emplace_back(), version))
                        return detail::inside(at, wrong);
                }
                if (auto wrong = detail::checkRising(field, value)) return wrong;
                s.*member = std::move(read);
                return {};
            });
    }
    /// An object of fields for each asset that has one.
    template <typename R>
    FieldTable& byAsset(const char* key, std::map<std::string, R> S::*member,
                        const FieldTable<R>& columns, const FieldText& text) {
        return addByAsset(
            key, member, columns.fields(), text,
            [columns](const R& value) { return columns.toJson(value); },
            [columns](const Json& entry, R& value, int version) {
                return columns.read(entry, value, version);
            });
    }
    /// One number for each asset that has one.
    FieldTable& byAsset(const char* key, std::map<std::string, double> S::*member, double minimum,
                        double maximum, double fallback, const FieldText& value,
                        const FieldText& text) {
        struct One {
            double value = 0;
        };
        FieldTable<One> column;
        column.number("", &One::value, minimum, maximum, value);
        plainByAsset<One>(key, member, column, text);
        fields_.back().columns.front().fallback = fallback;
        return *this;
    }
    /// One whole number for each image that has one.
    FieldTable& byImage(const char* key, std::map<std::string, int> S::*member, int minimum,
                        int maximum, int fallback, const FieldText& value, FieldText text) {
        struct One {
            int value = 0;
        };
        FieldTable<One> column;
        column.number("", &One::value, minimum, maximum, value);
        text.byImage = true;
        plainByAsset<One>(key, member, column, text);
        fields_.back().columns.front().fallback = fallback;
        return *this;
    }
    /// One choice for each asset that has one.
    template <typename Enum>
    FieldTable& byAsset(const char* key, std::map<std::string, Enum> S::*member,
                        std::vector<FieldChoice> choices, const FieldText& value,
                        const FieldText& text) {
        struct One {
            Enum value{};
        };
        FieldTable<One> column;
        column.choice("", &One::value, std::move(choices), value);
        return plainByAsset<One>(key, member, column, text);
    }
    FieldTable& runs(const char* key, std::vector<MeshRuns> S::*member, const FieldText& text) {
        const Field field = make(key, Field::Type::Runs, text);
        return add(
            field, [member](const S& s) { return detail::writeRuns(s.*member); },
            [member, field](S& s, const Json& value, int) {
                std::vector<MeshRuns> read;
                Check wrong = detail::readRuns(field, value, read);
                if (!wrong) s.*member = std::move(read);
                return wrong;
            });
    }

    [[nodiscard]] const std::vector<Field>& fields() const { return fields_; }

    /// Every member but those that hold nothing.
    [[nodiscard]] Json toJson(const S& s) const {
        Json json = Json::object();
        for (std::size_t i = 0; i < fields_.size(); ++i)
            if (Json value = access_[i].get(s); !value.is_null())
                json[fields_[i].key] = std::move(value);
        return json;
    }
    /// Members that are missing keep the value that `s` has; one that is wrong or unknown is told.
    [[nodiscard]] Check read(const Json& json, S& s, int version) const {
        if (json.is_null()) return {};
        if (!json.is_object()) return Wrong{"", "must be an object"};
        std::size_t known = 0;
        for (std::size_t i = 0; i < fields_.size(); ++i) {
            const Json* value = detail::findMember(json, fields_[i], version);
            if (!value) continue;
            ++known;
            if (auto wrong = access_[i].set(s, *value, version)) return wrong;
        }
        if (known == json.size()) return {};
        for (const auto& [name, value] : json.items())
            if (!isMember(name, version)) return detail::unknownMember(name, fields_);
        return {};
    }
    [[nodiscard]] Json get(std::size_t field, const S& s) const { return access_[field].get(s); }
    [[nodiscard]] Check set(std::size_t field, S& s, const Json& value) const {
        return access_[field].set(s, value, kSettingsVersion);
    }

private:
    struct Access {
        std::function<Json(const S&)> get;
        std::function<Check(S&, const Json&, int version)> set;
    };

    template <typename T>
    static bool isFinite(T value) {
        return value - value == 0;
    }
    static Field make(const char* key, Field::Type type, const FieldText& text) {
        Field field;
        field.key = key;
        field.type = type;
        field.text = text;
        return field;
    }
    FieldTable& add(Field field, std::function<Json(const S&)> get,
                    std::function<Check(S&, const Json&, int)> set) {
        field.fallback = get(S{});
        fields_.push_back(std::move(field));
        access_.push_back({std::move(get), std::move(set)});
        return *this;
    }
    /// A member of one type of JSON.
    template <typename T>
    FieldTable& plain(const Field& field, T S::*member, bool (Json::*isRight)() const noexcept) {
        return add(
            field, [member](const S& s) { return Json(s.*member); },
            [member, field, isRight](S& s, const Json& value, int) -> Check {
                if (!(value.*isRight)()) return detail::refuse(field, value);
                s.*member = value.get<T>();
                return {};
            });
    }
    template <typename One, typename T>
    FieldTable& plainByAsset(const char* key, std::map<std::string, T> S::*member,
                             const FieldTable<One>& column, const FieldText& text) {
        return addByAsset(
            key, member, column.fields(), text,
            [column](const T& value) { return column.get(0, {value}); },
            [column](const Json& entry, T& value, int) {
                One one;
                Check wrong = column.set(0, one, entry);
                value = one.value;
                return wrong;
            });
    }
    /// `write(value)` and `read(entry, value, version)` know what is kept of one asset.
    template <typename T, typename Write, typename Read>
    FieldTable& addByAsset(const char* key, std::map<std::string, T> S::*member,
                           const std::vector<Field>& columns, const FieldText& text,
                           const Write& write, const Read& read) {
        Field field = make(key, Field::Type::ByAsset, text);
        field.columns = columns;
        return add(
            field,
            [member, write](const S& s) {
                Json json = Json::object();
                for (const auto& [asset, value] : s.*member) json[asset] = write(value);
                return json;
            },
            [member, read, field](S& s, const Json& value, int version) -> Check {
                if (!value.is_object()) return detail::refuse(field, value);
                std::map<std::string, T> all;
                for (const auto& [asset, entry] : value.items())
                    if (auto wrong = read(entry, all[asset], version))
                        return detail::inside(field.key + "." + asset, wrong);
                s.*member = std::move(all);
                return {};
            });
    }
    [[nodiscard]] bool isMember(const std::string& name, int version) const {
        for (const Field& field : fields_)
            if (name == field.key || (version == 1 && name == field.text.formerly)) return true;
        return false;
    }

    std::vector<Field> fields_;
    std::vector<Access> access_;
};

}  // namespace flentro
