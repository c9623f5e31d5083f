// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/work/screen_profile.h"

#include <xcb/xcb.h>

#include <QGuiApplication>
#include <cstdlib>
#include <memory>
#include <string_view>

#include "core/picture/converted.h"

namespace moorhaze::desktop {
namespace {

ColourProfile& shown_by() {
    static ColourProfile profile;
    return profile;
}

struct Freed {
    void operator()(void* reply) const noexcept { std::free(reply); }
};
template <class Reply>
using ReplyHandle = std::unique_ptr<Reply, Freed>;

constexpr std::uint32_t kMostWords = 4 << 20;  // of 4 bytes; profiles of tables have a few MB

}  // namespace

const ColourProfile& screen_profile() {
    return shown_by();
}

void set_screen_profile(const ColourProfile& profile) {
    shown_by() = profile;
}

ColourProfile profile_of_desktop() {
    auto* const platform = qGuiApp ? qGuiApp->nativeInterface<QNativeInterface::QX11Application>() : nullptr;
    xcb_connection_t* const server = platform ? platform->connection() : nullptr;
    if (!server) return {};
    constexpr std::string_view kName = "_ICC_PROFILE";
    const ReplyHandle<xcb_intern_atom_reply_t> atom(xcb_intern_atom_reply(
        server, xcb_intern_atom(server, true, std::uint16_t(kName.size()), kName.data()), nullptr));
    if (!atom || atom->atom == XCB_ATOM_NONE) return {};
    const xcb_window_t root = xcb_setup_roots_iterator(xcb_get_setup(server)).data->root;
    const ReplyHandle<xcb_get_property_reply_t> reply(xcb_get_property_reply(
        server, xcb_get_property(server, false, root, atom->atom, XCB_ATOM_CARDINAL, 0, kMostWords),
        nullptr));
    if (!reply || reply->format != 8 || reply->bytes_after > 0) return {};
    const auto* bytes = static_cast<const std::uint8_t*>(xcb_get_property_value(reply.get()));
    ColourProfile profile{{bytes, bytes + xcb_get_property_value_length(reply.get())}};
    return !profile.icc.empty() && is_rgb_profile(profile) ? profile : ColourProfile();
}

}  // namespace moorhaze::desktop
