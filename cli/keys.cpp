#include "cli/commands.h"
#include "core/ticket/documents.h"

#include <iostream>

namespace ulm::cli {

void addKeys(CLI::App& app, Action& action) {
    auto* c =
        app.add_subcommand("keys", "Every key of a ticket, as --set takes it: range, unit, default, what it does");
    c->footer("Examples:\n  ulmwood-cli keys clean\n  ulmwood-cli keys --schema >ticket.schema.json");
    struct Options {
        std::string step;
        bool json = false, schema = false, markdown = false;
    };
    auto o = std::make_shared<Options>();
    c->add_option("STEP", o->step, "Only this step's");
    auto* json = c->add_flag("--json", o->json, "One JSON object");
    auto* schema = c->add_flag("--schema", o->schema, "The JSON Schema of a ticket");
    c->add_flag("--markdown", o->markdown, "The table of docs/ticket.md")->excludes(json)->excludes(schema);
    schema->excludes(json);
    c->callback([=, &action] {
        action = [=](Surroundings& s) {
            if (o->schema)
                s.out << ticketSchema().dump(2) << "\n";
            else if (o->json)
                s.out << keysJson(o->step).dump(2) << "\n";
            else
                s.out << (o->markdown ? keysMarkdown(o->step) : keysText(o->step));
            return 0;
        };
    });
}

} // namespace ulm::cli
