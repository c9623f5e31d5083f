// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/mend/mended.h"
#include "core/project/words.h"
#include "desktop/session/session.h"
#include "desktop/session/work/text.h"

/// Short words for what tests ask of a session again and again.
namespace moorhaze::test {

inline const SharedList<ProjectResult>& results(const desktop::Session& session) {
    return session.document.project().results;
}
/// The merge shown; there must be one.
inline const MergeResult& merge_shown(const desktop::Session& session) {
    return *session.products.merge(session.standpoint.result()->id)->result;
}
/// The result shown with its strokes, as it would be exported.
inline Picture mended_shown(const desktop::Session& session) {
    const ProjectResult& result = *session.standpoint.result();
    const desktop::MergeProduct& product = *session.products.merge(result.id);
    return mended(*product.result, result.strokes,
                  {*session.products.sources()->of(product.plane),
                   session.products.result_sources(result.strokes, product.plane)},
                  product.result->area, {});
}
inline void set_method(desktop::Session& session, const std::string& method) {
    MergeChoice choice = session.merging.choice();
    choice.method = method;
    session.merging.set_choice(choice, QStringLiteral("method"));
}
inline int reference(const desktop::Session& session) {
    return session.document.place(session.products.reference());
}
inline bool has_unsaved(const desktop::Session& session) {
    return has_unsaved_results(session.document.project());
}

}  // namespace moorhaze::test
