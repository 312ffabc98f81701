//! The page of a report.

use super::ReportOptions;
use crate::check::made_by;
use crate::draw::page_policy;
use crate::format_support::markup::escaped;
use std::collections::HashSet;
use std::fmt::Write;

const STYLE: &str = include_str!("report.css");
const SCRIPT: &str = include_str!("report.js");

/// How what a report is of stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Standing {
    Passes,
    Warns,
    Fails,
}

impl Standing {
    fn class(self) -> &'static str {
        match self {
            Standing::Passes => "passes",
            Standing::Warns => "warns",
            Standing::Fails => "fails",
        }
    }
}

/// Markup without links to elements that are not there: places that no map shows.
fn without_dead_links(body: &str) -> String {
    const LINK: &str = "<a href=\"#";
    let ids: HashSet<&str> =
        body.split(" id=\"").skip(1).filter_map(|part| part.split('"').next()).collect();
    let mut out = String::with_capacity(body.len());
    let mut parts = body.split(LINK);
    out.push_str(parts.next().unwrap_or_default());
    for part in parts {
        let id = part.split('"').next().unwrap_or_default();
        match part.split_once("</a>") {
            Some((_, rest)) if !ids.contains(id) => out.push_str(rest.trim_start_matches(' ')),
            Some(_) | None => {
                out.push_str(LINK);
                out.push_str(part);
            }
        }
    }
    out
}

/// A page as it is written.
pub(super) struct Document {
    kind: &'static str,
    title: String,
    body: String,
    sections: Vec<(String, String)>,
    /// A drawing in it has images.
    images: bool,
}

impl Document {
    /// A report of a kind: `Quality report`.
    pub(super) fn new(kind: &'static str, title: &str) -> Document {
        Document {
            kind,
            title: title.to_string(),
            body: String::new(),
            sections: Vec::new(),
            images: false,
        }
    }

    /// Writes markup.
    pub(super) fn put(&mut self, markup: &str) {
        self.body.push_str(markup);
    }

    /// The result in words, and figures that matter most: each with what it counts.
    pub(super) fn result(&mut self, verdict: Option<(Standing, &str)>, figures: &[(String, &str)]) {
        let mut out = String::from("<div class=\"result\">\n");
        if let Some((standing, words)) = verdict {
            let _ = writeln!(
                out,
                "<p class=\"verdict {}\"><span>{}</span></p>",
                standing.class(),
                escaped(words)
            );
        }
        out.push_str("<dl class=\"figures\">\n");
        for (figure, what) in figures {
            let _ =
                writeln!(out, "<div><dt>{}</dt><dd>{}</dd></div>", escaped(what), escaped(figure));
        }
        out.push_str("</dl>\n</div>\n");
        self.put(&out);
    }

    /// Begins a section that the contents lead to.
    pub(super) fn section(&mut self, id: &str, heading: &str) {
        let end = if self.sections.is_empty() { "" } else { "</section>\n" };
        let _ = writeln!(
            self.body,
            "{end}<section id=\"{id}\" aria-labelledby=\"{id}-head\"><h2 id=\"{id}-head\">{}</h2>",
            escaped(heading)
        );
        self.sections.push((id.to_string(), heading.to_string()));
    }

    pub(super) fn heading(&mut self, text: &str) {
        let _ = writeln!(self.body, "<h3>{}</h3>", escaped(text));
    }

    pub(super) fn text(&mut self, text: &str) {
        let _ = writeln!(self.body, "<p>{}</p>", escaped(text));
    }

    /// What is said in passing.
    pub(super) fn aside(&mut self, text: &str) {
        let _ = writeln!(self.body, "<p class=\"aside\">{}</p>", escaped(text));
    }

    /// Labels with their texts.
    pub(super) fn facts<L: AsRef<str>>(&mut self, facts: &[(L, String)]) {
        self.body.push_str("<dl class=\"facts\">\n");
        for (label, text) in facts {
            let _ = writeln!(
                self.body,
                "<dt>{}</dt><dd>{}</dd>",
                escaped(label.as_ref()),
                escaped(text)
            );
        }
        self.body.push_str("</dl>\n");
    }

    /// A drawing.
    pub(super) fn figure(&mut self, svg: &str, class: &str, caption: Option<&str>) {
        let caption = caption.map_or(String::new(), |caption| {
            format!("<figcaption>{}</figcaption>", escaped(caption))
        });
        self.images |= svg.contains("<image ");
        let _ = writeln!(self.body, "<figure class=\"{class}\">{caption}{svg}</figure>");
    }

    /// The whole page.
    pub(super) fn finish(self, options: &ReportOptions) -> String {
        let policy = page_policy(SCRIPT, STYLE, self.images);
        let title = escaped(&self.title);
        let mut out = format!(
            "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n\
             <meta http-equiv=\"Content-Security-Policy\" content=\"{policy}\">\n\
             <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n\
             <title>{title}</title>\n<style>{STYLE}</style>\n</head>\n<body>\n\
             <header><p class=\"kind\">{}</p><h1>{title}</h1></header>\n",
            self.kind
        );
        if self.sections.len() > 3 {
            out.push_str("<nav aria-label=\"Contents\"><ul>\n");
            for (id, heading) in &self.sections {
                let _ = writeln!(out, "<li><a href=\"#{id}\">{}</a></li>", escaped(heading));
            }
            out.push_str("</ul></nav>\n");
        }
        let _ = write!(out, "<main>\n{}", without_dead_links(&self.body));
        if !self.sections.is_empty() {
            out.push_str("</section>\n");
        }
        out.push_str("</main>\n<footer>\n");
        let mut made = vec![made_by()];
        made.extend(options.date.clone());
        let _ = writeln!(out, "<p>{}</p>\n</footer>", escaped(&made.join(" · ")));
        let _ = write!(out, "<script>{SCRIPT}</script>\n</body>\n</html>\n");
        out
    }
}
