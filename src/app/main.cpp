// vemtra: the window. `vemtra [PROJECT | ASSET]`.
#include <QApplication>
#include <QMessageBox>
#include <QSettings>

#include "app/main_window.h"
#include "app/theme/theme.h"

namespace {

/// What a hand does may ask for more memory than there is: it is told, and nothing of the work is lost.
class Application : public QApplication {
public:
    using QApplication::QApplication;
    bool notify(QObject* receiver, QEvent* event) override {
        try {
            return QApplication::notify(receiver, event);
        } catch (const std::exception& e) {
            QMetaObject::invokeMethod(
                this,
                [what = QString::fromUtf8(e.what())] {
                    QMessageBox::warning(
                        nullptr, "Vemtra",
                        "That could not be done: " + what + ". Save your work, then try again with less.");
                },
                Qt::QueuedConnection);
            return false;
        }
    }
};

/// Without one the interface library would end the process with words of its own.
bool has_display(int argc, char** argv) {
    for (const char* name : {"DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"})
        if (const char* value = std::getenv(name); value && *value) return true;
    for (int i = 1; i < argc; ++i)
        if (std::string(argv[i]) == "-platform") return true;
    return false;
}

}  // namespace

int main(int argc, char** argv) {
    if (!__builtin_cpu_supports("avx2")) {
        std::fprintf(stderr, "error: this processor has no AVX2, which Vemtra needs\n");
        return 1;
    }
    if (!has_display(argc, argv)) {
        std::fprintf(stderr,
                     "error: there is no display to open a window on: neither DISPLAY nor WAYLAND_DISPLAY is set. "
                     "Start Vemtra from a desktop, or use vemtra-cli, which needs none\n");
        return 1;
    }
    Application app(argc, argv);
    app.setApplicationName("Vemtra");
    vemtra::app::load_fonts();
    vemtra::app::use_theme(QSettings("Vemtra", "Vemtra").value("dark", false).toBool());
    vemtra::app::MainWindow window;
    window.show();
    if (argc > 1) {
        const vemtra::fs::path file = argv[1];
        if (file.extension() == ".vemtra")
            window.open_project(file);
        else
            window.bench().files().import_asset(file);
    }
    return app.exec();
}
