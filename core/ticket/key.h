#pragma once

#include "core/inspect/inspection.h"
#include "core/ticket/ticket.h"

#include <functional>

namespace ulm {

/// One key of a ticket, described once: reading, writing, checking, `--set`, `keys`, the JSON Schema, docs/ticket.md
/// and the rows of the sheet all come from here.
struct TicketKey {
    enum class Kind { Flag, Number, Quantity, Choice, Size, Aspect, Method, File, Text };
    struct Choice {
        std::string value, word; ///< as in JSON; as on the sheet
    };

    std::string path; ///< "clean.blocks"; the same dots nest in JSON
    Kind kind = Kind::Flag;
    std::string name;            ///< on the sheet: "Blocks"
    std::string unit;            ///< "%"; empty: a bare number
    std::string meaning;         ///< what it does, and when to use it
    std::string tooMuch;         ///< what too much of it looks like; empty where there is no too much
    std::string heading;         ///< stands above it on the sheet, and folds what follows; empty: none
    bool inSight = false;        ///< of a heading: its rows are not folded away at first
    double least = 0, most = 0;  ///< what is accepted, both ends included
    double from = 0, to = 0;     ///< what a slider runs through; within [least, most]
    double step = 1;             ///< of a slider
    int decimals = 0;            ///< shown
    std::vector<Choice> choices; ///< of Kind::Choice
    std::string zero;            ///< of Kind::Number: what 0 stands for, on the sheet: "the end"; empty: 0
    std::string ending;          ///< of Kind::File: ".cube"
    std::string form;            ///< of Kind::Text: how it is written
    std::vector<Choice> presets; ///< usual values, offered as buttons instead of a slider or a field
    bool hidesIdle = false;      ///< its row is hidden where it does nothing
    bool shown = true;           ///< has a row of its own on the sheet
    bool ramped = false;         ///< trials offer a row of values of it
    /// The reading that "measured" follows; null for others than Kind::Quantity.
    std::function<double(const Ticket&, const Inspection&)> reading;
    /// Whether it does anything on this ticket, its step being on; null: always. `actsWhen` says it in words.
    std::function<bool(const Ticket&)> acts;
    std::string actsWhen;

    std::function<nlohmann::json(const Ticket&)> get;
    /// Takes a JSON value; returns what is wrong with it, or an empty text.
    std::function<std::string(Ticket&, const nlohmann::json&)> set;
    /// Turns a command line text into the JSON value set() takes.
    std::function<nlohmann::json(const std::string&)> parse;
    std::function<double&(Ticket&)> number;     ///< of Kind::Number
    std::function<Quantity&(Ticket&)> quantity; ///< of Kind::Quantity

    std::string stepKey() const { return path.substr(0, path.find('.')); }

    // Said about a key where its table is written, one after the other.
    TicketKey& called(const char* n, const char* u = "") { return name = n, unit = u, *this; }
    TicketKey& does(const char* what, const char* excess = "") { return meaning = what, tooMuch = excess, *this; }
    TicketKey& by(double s, int d) { return step = s, decimals = d, *this; }
    TicketKey& slides(double a, double b) { return from = a, to = b, *this; }
    TicketKey& under(const char* h, bool open = false) { return heading = h, inSight = open, *this; }
    TicketKey& atZero(const char* word) { return zero = word, *this; }
    TicketKey& hidden() { return shown = false, *this; }
    TicketKey& offers(std::vector<Choice> usual) { return presets = std::move(usual), *this; }
    TicketKey& onlyWhereItActs() { return hidesIdle = true, *this; }
    TicketKey& ramps() { return ramped = true, *this; }
    TicketKey& follows(double Readings::*member) {
        return reading = [member](const Ticket&, const Inspection& i) { return i.readings.*member; }, *this;
    }
    TicketKey& actsIf(std::function<bool(const Ticket&)> f, const char* words) {
        return acts = std::move(f), actsWhen = words, *this;
    }
};

// Makers of keys; `member` leads to the value.
using NumberOf = std::function<double&(Ticket&)>;
TicketKey flagKey(const char* path, std::function<bool&(Ticket&)> member);
TicketKey numberKey(const char* path, double least, double most, NumberOf member);
TicketKey quantityKey(const char* path, double most, std::function<Quantity&(Ticket&)> member);
TicketKey choiceKey(const char* path, std::vector<TicketKey::Choice> choices,
                    std::function<std::string&(Ticket&)> member);
TicketKey sizeKey(const char* path, std::function<std::optional<Size>&(Ticket&)> member);
TicketKey aspectKey(const char* path, std::function<Size&(Ticket&)> member);
/// A file of this ending, or none (an empty text; "none" on the command line).
TicketKey fileKey(const char* path, const char* ending, std::function<std::string&(Ticket&)> member);

/// A text of this form, or none; `wrong` says what is wrong with one, in words, or nothing.
TicketKey textKey(const char* path, const char* form, std::function<std::string(const std::string&)> wrong,
                  std::function<std::string&(Ticket&)> member);

/// "clean.on": switches a step.
TicketKey switchKey(const char* path, std::function<bool&(Ticket&)> member);

} // namespace ulm

/// Leads to a member of a ticket: OF_TICKET(clean.blocks).
#define OF_TICKET(m)                                                                                                   \
    [](::ulm::Ticket & t) -> auto& { return t.m; }
