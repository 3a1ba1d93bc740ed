// Rows of settings bound to the document: each row knows how to read its value from a scene and how to write it back as
// an undoable edit. Detail and drawer build their contents from these rows.
#pragma once
#include <QFormLayout>
#include <QLabel>
#include <QToolButton>
#include <QWidget>
#include <deque>

#include "app/detail/value_field.h"
#include "app/workbench.h"

namespace vemtra::app {

class Form : public QWidget {
    Q_OBJECT
public:
    explicit Form(Workbench& bench, QWidget* parent = nullptr);

    using Scene = scene::Scene;
    template <class T> using Read = std::function<std::optional<T>(const Scene&)>;
    template <class T> using Write = std::function<void(Scene&, const T&)>;

    void heading(const QString& text);
    void note(const QString& text);
    void number(const QString& label, const QString& help, const NumberRange& range, Read<float> read,
                Write<float> write);
    void color(const QString& label, const QString& help, V3f reset, Read<V3f> read, Write<V3f> write);
    void vector(const QString& label, const QString& help, const NumberRange& range, int components, Read<V3f> read,
                Write<V3f> write);
    void choice(const QString& label, const QString& help, const QStringList& items, Read<int> read, Write<int> write);
    void text(const QString& label, const QString& help, Read<std::string> read, Write<std::string> write);
    void file(const QString& label, const QString& help, const QString& filter, Read<std::string> read,
              Write<std::string> write);
    /// A list of names, typed or chosen from those that there are.
    void names(const QString& label, const QString& help,
               std::function<std::vector<std::string>(const Scene&)> that_there_are, Read<std::string> read,
               Write<std::string> write);
    void toggle(const QString& label, const QString& help, Read<bool> read, Write<bool> write);
    void button(const QString& label, const QString& help, std::function<void()> press);
    /// Puts a small connect button at the end of the row that was added last.
    void connection(std::function<void(const QPoint&)> open_menu, std::function<QString()> source);
    void widget(QWidget* w) { (folding_ ? folding_ : layout_)->addRow(w); }
    /// Rows below those that are seen first: they are made in the next free moments of the window, so that a long form
    /// does not hold it. All that comes after them comes by this, too.
    void later(std::function<void()> rows);
    /// Makes all rows now that wait for a free moment.
    void finish();
    bool finished() const { return waiting_.empty(); }
    /// Makes none of them: another form takes its place.
    void give_up() { waiting_.clear(); }
    /// Whether a fold has a row with these letters, told without making its rows; none: it is asked by making them.
    using Mentions = std::function<bool(const QString& words)>;
    /// What `fill` adds is hidden behind a line that opens it, and made when that is first opened, or when what is
    /// looked for is in it: a form of a hundred rows costs what the rows cost that are seen. `fill` may be called long
    /// after this returned.
    QToolButton* fold(const QString& title, bool open, std::function<void()> fill, Mentions mentions = {});
    /// Shows only the rows whose label has these words, opened; all of them, as they were, where it is empty.
    void filter(const QString& words);

    void refresh();  ///< reads all values again
    /// Called on every refresh.
    void also(std::function<void()> refresh) { refreshers_.push_back(std::move(refresh)); }

private:
    void add_row(const QString& label, const QString& help, QWidget* w);
    QWidget* place() { return filling_ ? filling_ : this; }  ///< of the rows that are being made
    void fill_fold(size_t index);
    void fill_in(QWidget* inside, const std::function<void()>& rows);
    void make_next(bool all);
    std::string merge_key(const QString& label) const;
    Workbench& bench_;
    QFormLayout* layout_;
    QFormLayout* folding_ = nullptr;  ///< of the fold that is being filled
    QWidget* filling_ = nullptr;
    QWidget* last_ = nullptr;
    QLabel* last_label_ = nullptr;
    std::vector<std::function<void()>> refreshers_;
    int rows_ = 0;
    struct Row {
        QLabel* name;
        QWidget* row;
        QWidget* inside;  ///< of the fold; null: it is in none
    };
    struct Fold {
        QToolButton* head;
        QWidget* inside;
        std::function<void()> fill;  ///< empty: it has its rows
        Mentions mentions;
    };
    std::vector<Row> all_rows_;
    std::vector<Fold> folds_;
    struct Waiting {
        QWidget* inside;  ///< of the fold; null: the form's own rows
        std::function<void()> rows;
    };
    std::deque<Waiting> waiting_;
    bool making_ = false;
    QString filter_;
};

}  // namespace vemtra::app
