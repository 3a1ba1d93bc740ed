// Driving the real window: a shared application, waiting for pictures, and clicks at places.
#pragma once
#include <QApplication>
#include <QElapsedTimer>
#include <QTest>
#include <catch2/catch.hpp>

#include "app/board/board.h"
#include "app/detail/detail_panel.h"
#include "app/detail/form.h"
#include "app/drawer/drawer.h"
#include "app/main_window.h"
#include "app/theme/theme.h"
#include "app/view/render_view.h"
#include "where_support.h"

namespace vemtra::test {

inline const fs::path root = source_folder;
inline const fs::path demo_project = root / "demo" / "lantern.vemtra";

#ifndef __has_feature
#define __has_feature(x) 0
#endif
inline constexpr double times_slower = __has_feature(address_sanitizer) ? 20 : 1;

/// Lets the window live until `done`, at most `seconds` (longer where every access is watched); the limit only ends a
/// test that would never end.
inline bool wait_until(const std::function<bool()>& done, double seconds = 120) {
    QElapsedTimer clock;
    clock.start();
    while (!done()) {
        if (clock.elapsed() > seconds * 1000 * times_slower) return false;
        QTest::qWait(10);
    }
    return true;
}

/// The panel of settings with all of its rows: those that are not seen yet wait for a free moment.
inline app::DetailPanel* all_rows(app::MainWindow& w) {
    w.detail()->now();
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);  // the rows of what was selected before
    w.detail()->form()->finish();
    QCoreApplication::sendPostedEvents(nullptr, QEvent::MetaCall);  // what a layout takes in is shown by one
    return w.detail();
}

/// Waits for a picture of the present state with at least this many samples at full resolution.
enum class Fields : uint8_t { final, as_they_come };  // final ones of a form that was changed take a minute
inline std::shared_ptr<const render::LiveImage> picture(app::MainWindow& w, uint32_t samples = 1,
                                                        Fields fields = Fields::final) {
    const auto wanted = w.bench().snapshot();
    wait_until([&] {
        const auto image = w.bench().image();
        return image && image->request.scene == wanted && image->coarse == 1 && image->complete &&
               image->samples >= samples && (image->fields_final || fields == Fields::as_they_come);
    });
    return w.bench().image();
}

/// A folder that goes away with the test.
struct Scratch {
    fs::path path;
    Scratch() {
        static int count = 0;
        path =
            fs::temp_directory_path() / ("vemtra-test-" + std::to_string(::getpid()) + "-" + std::to_string(count++));
        fs::create_directories(path);
    }
    ~Scratch() {
        std::error_code ec;
        fs::remove_all(path, ec);
    }
};

}  // namespace vemtra::test
