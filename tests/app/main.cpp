#include "app/window.h"
#include "runner.h"

int main(int argc, char** argv) {
    if (!qEnvironmentVariableIsSet("DISPLAY")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QTemporaryDir settings;  // the tests neither see nor change the user's window state
    qputenv("XDG_CONFIG_HOME", settings.path().toUtf8());
    qputenv("XDG_DATA_HOME", settings.filePath("data").toUtf8());
    QApplication app(argc, argv);
    vemtra::app::load_fonts();
    vemtra::app::use_theme(false);
    return vemtra::test::run_cases(argc, argv);
}
