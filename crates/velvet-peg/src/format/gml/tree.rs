//! A geometry as it stands in a file, whole: elements in elements.

use crate::error::Result;
use crate::format_support::xml::{Element, Node, Xml};

/// The deepest that elements of a geometry are read.
const DEEPEST: usize = 100;

/// An element with all that it holds.
#[derive(Debug, Default)]
pub(super) struct Tree {
    pub(super) element: Element,
    pub(super) text: String,
    pub(super) children: Vec<Tree>,
}

impl Tree {
    /// Reads the element that has just begun to its end; none if elements stand in it deeper than
    /// any geometry needs.
    pub(super) fn read(xml: &mut Xml, element: Element) -> Result<Option<Tree>> {
        let mut open = vec![Tree { element, ..Tree::default() }];
        // Elements that are too deep, and stay unread.
        let mut below = 0;
        let mut whole = true;
        loop {
            match xml.next()? {
                Node::Open(_) if open.len() >= DEEPEST => {
                    below += 1;
                    whole = false;
                }
                Node::Open(element) => open.push(Tree { element, ..Tree::default() }),
                Node::Close(..) if below > 0 => below -= 1,
                Node::Close(_, text) => {
                    let Some(mut done) = open.pop() else { return Ok(None) };
                    done.text = text;
                    match open.last_mut() {
                        Some(outer) => outer.children.push(done),
                        None => return Ok(whole.then_some(done)),
                    }
                }
                Node::End => return Ok(None),
            }
        }
    }

    pub(super) fn name(&self) -> &str {
        &self.element.name
    }

    pub(super) fn attribute(&self, name: &str) -> Option<&str> {
        self.element.attribute(name).map(str::trim)
    }

    /// What the properties of these names hold, one after the other.
    ///
    /// # Errors
    /// If one refers to something that stands elsewhere.
    pub(super) fn held<'a>(&'a self, names: &[&str]) -> Result<Vec<&'a Tree>, String> {
        let mut held = Vec::new();
        for property in self.children.iter().filter(|child| names.contains(&child.name())) {
            if let (true, Some(place)) = (property.children.is_empty(), property.attribute("href"))
            {
                return Err(format!(
                    "a {} stands elsewhere (`{place}`): references are not followed",
                    property.name()
                ));
            }
            held.extend(&property.children);
        }
        Ok(held)
    }
}
