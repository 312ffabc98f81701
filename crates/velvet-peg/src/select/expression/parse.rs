//! Reading conditions and assignments as SQL.

use crate::advice::Advice;
use crate::error::{Error, Result};
use sqlparser::ast::{AssignmentTarget, Expr, Statement};
use sqlparser::dialect::GenericDialect;
use sqlparser::parser::Parser;

fn unread(text: &str, error: &sqlparser::parser::ParserError) -> Error {
    let error = error.to_string();
    let error = error.trim_start_matches("sql parser error: ");
    Error::usage(format!(
        "`{text}` cannot be read as an SQL expression: {error}. Texts stand in 'single' quotation \
         marks, names of columns with blanks in \"double\" ones"
    ))
}

/// A condition, to its end.
pub(super) fn condition(text: &str) -> Result<Expr> {
    let mut parser =
        Parser::new(&GenericDialect {}).try_with_sql(text).map_err(|e| unread(text, &e))?;
    let expression = parser.parse_expr().map_err(|e| unread(text, &e))?;
    refuse_depth(&expression)?;
    let rest = parser.peek_token().token;
    match rest {
        sqlparser::tokenizer::Token::EOF => Ok(expression),
        rest => Err(Error::usage(format!(
            "`{text}` cannot be read as an SQL expression: it goes on with `{rest}` behind \
             `{expression}`"
        ))),
    }
}

/// Most operators in a row: each is evaluated inside the one before.
const MOST_OPERATORS: usize = 500;

/// # Errors
/// If so many operators follow each other that evaluating them would need too much memory.
fn refuse_depth(expression: &Expr) -> Result<()> {
    let mut at = expression;
    for _ in 0..MOST_OPERATORS {
        at = match at {
            Expr::BinaryOp { left, .. } => left,
            Expr::IsNull(inner)
            | Expr::IsNotNull(inner)
            | Expr::IsTrue(inner)
            | Expr::IsFalse(inner)
            | Expr::IsNotTrue(inner)
            | Expr::IsNotFalse(inner)
            | Expr::Nested(inner) => inner,
            Expr::UnaryOp { expr, .. } | Expr::Cast { expr, .. } => expr,
            _ => return Ok(()),
        };
    }
    Err(Error::usage(format!(
        "an expression takes up to {MOST_OPERATORS} operators in a row, and this one has more: \
         write alternatives of one column as `name IN ('a', 'b', …)`, or join a table of the \
         wanted keys"
    )))
}

/// Assignments, one or several with commas between them.
pub(super) fn assignments(text: &str) -> Result<Vec<(String, Expr)>> {
    let statement = format!("UPDATE layer SET {text}");
    let parsed = Parser::parse_sql(&GenericDialect {}, &statement).map_err(|e| unread(text, &e))?;
    let [Statement::Update(update)] = parsed.as_slice() else {
        return Err(Error::usage(format!("`{text}` is no assignment: write NAME = EXPRESSION")));
    };
    if update.selection.is_some() || update.from.is_some() {
        return Err(Error::usage(format!("`{text}` holds more than assignments"))
            .advise(Advice::UseCondition));
    }
    update
        .assignments
        .iter()
        .map(|assignment| match &assignment.target {
            AssignmentTarget::ColumnName(name) => {
                let name = name.0.last().and_then(|part| part.as_ident());
                let name = name.map_or(String::new(), |name| name.value.clone());
                refuse_depth(&assignment.value)?;
                Ok((name, assignment.value.clone()))
            }
            AssignmentTarget::Tuple(_) => {
                Err(Error::usage(format!("`{text}`: assign one column at a time")))
            }
        })
        .collect()
}
