// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/mend/mended.h"
#include "desktop/session/document/session_base.h"

namespace moorhaze::desktop {

/// A result of an opened document, with strokes.
struct ResultView {
    DocumentId document;
    ResultId result;
    SharedList<Stroke> strokes;
    bool operator==(const ResultView&) const = default;
};

/// A result as it is painted, with all that its picture is made from: an input of derived values.
struct MendedResult {
    ResultView view;
    MergeProduct product;
    MadeFrom made_from;
    ResultSources others;  ///< results that strokes come from, as far as they are there
    std::shared_ptr<FrameSources> sources;

    /// The picture of a part of it, strokes rendered; in any thread.
    /// @param area  in reference pixels, inside the merge's.   @throws FileError of a frame to paint from.
    Picture picture(PixelRect area, const Job& job) const;
    PixelRect area() const { return product.result->area; }
    /// Equal where the picture is the same.
    friend bool operator==(const MendedResult& one, const MendedResult& other);
};

/// A result of the opened document with these strokes, or why it has no picture.
tl::expected<MendedResult, Why> mended_result(const SessionBase& base, const ProjectResult& result,
                                              const SharedList<Stroke>& strokes);
/// The result shown, as it is painted now.
tl::expected<MendedResult, Why> mended_result_shown(const SessionBase& base);

/// Why the result shown has no picture to work on, in a sentence; empty where it has one.
QString why_no_picture(const SessionBase& base);

}  // namespace moorhaze::desktop
