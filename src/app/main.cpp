// vemtra: the window. `vemtra [PROJECT | ASSET]`.
#include <QApplication>
#include <QSettings>

#include "app/main_window.h"
#include "app/theme/theme.h"

int main(int argc, char** argv) {
    if (!__builtin_cpu_supports("avx2")) {
        std::fprintf(stderr, "error: this processor has no AVX2, which Vemtra needs\n");
        return 1;
    }
    QApplication app(argc, argv);
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
            window.bench().import_asset(file);
    }
    return app.exec();
}
