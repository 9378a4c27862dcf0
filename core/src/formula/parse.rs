//! From text to steps: what the grammar finds, checked for names, counts and kinds.

use super::evaluate::{Binary, Step};
use super::functions::FUNCTIONS;
use super::{FormulaError, Variable};
use pest::Parser;
use pest::error::InputLocation;
use pest::iterators::{Pair, Pairs};
use pest::pratt_parser::{Assoc, Op, PrattParser};
use std::collections::HashMap;
use std::f64::consts::{PI, TAU};
use std::sync::LazyLock;

#[derive(pest_derive::Parser)]
#[grammar = "formula/grammar.pest"]
struct Grammar;

/// Most characters of a formula.
pub const MOST_LETTERS: usize = 1000;
/// Most brackets inside each other.
const DEEPEST: usize = 40;

/// GLSL's order, weakest first.
static ORDER: LazyLock<PrattParser<Rule>> = LazyLock::new(|| {
    let left = |rule| Op::infix(rule, Assoc::Left);
    PrattParser::new()
        .op(left(Rule::or))
        .op(left(Rule::xor))
        .op(left(Rule::and))
        .op(left(Rule::eq) | left(Rule::ne))
        .op(left(Rule::lt) | left(Rule::gt) | left(Rule::le) | left(Rule::ge))
        .op(left(Rule::add) | left(Rule::sub))
        .op(left(Rule::mul) | left(Rule::div))
        .op(Op::prefix(Rule::neg) | Op::prefix(Rule::pos) | Op::prefix(Rule::not))
});

/// Where in the text something stands.
#[derive(Debug, Clone, Copy)]
struct Stretch {
    from: usize,
    to: usize,
}

/// A part of a formula: the step that computes it, whether it is a yes or no, and where it stands.
#[derive(Debug, Clone, Copy)]
struct Part {
    step: usize,
    is_flag: bool,
    place: Stretch,
}

/// Steps in the order in which they are computed; what is asked for twice is computed once.
struct Builder<'a> {
    text: &'a str,
    steps: Vec<Step>,
    known: HashMap<String, usize>,
}

pub(super) fn parse(text: &str) -> Result<Vec<Step>, FormulaError> {
    let letters = text.chars().count();
    if letters > MOST_LETTERS {
        let message = format!("The formula has {letters} letters, and {MOST_LETTERS} is the most: shorten it.");
        return Err(FormulaError { message, at: MOST_LETTERS, length: letters - MOST_LETTERS });
    }
    let mut builder = Builder { text, steps: Vec::new(), known: HashMap::new() };
    if text.trim().is_empty() {
        return Err(
            builder.wrong(Stretch { from: 0, to: 0 }, "The formula is empty: write a number or a formula.".into())
        );
    }
    builder.check_depth()?;
    let mut pairs = Grammar::parse(Rule::formula, text).map_err(|error| builder.unread(&error))?;
    let Some(whole) = pairs.next() else {
        return Err(builder.wrong(Stretch { from: 0, to: 0 }, "The formula is empty: write a number.".into()));
    };
    let part = builder.expression(whole)?;
    builder.number(part)?;
    // The last step is the result, even where it was computed before something else.
    if part.step + 1 != builder.steps.len() {
        builder.steps.push(Step::Copy(part.step));
    }
    Ok(builder.steps)
}

impl Builder<'_> {
    fn wrong(&self, place: Stretch, message: String) -> FormulaError {
        let count = |to: usize| self.text.get(..to).map_or(0, |before| before.chars().count());
        let (at, end) = (count(place.from), count(place.to));
        FormulaError { message, at, length: (end - at.min(end)).max(1) }
    }

    fn check_depth(&self) -> Result<(), FormulaError> {
        let mut depth = 0_usize;
        for (from, letter) in self.text.char_indices() {
            match letter {
                '(' => depth += 1,
                ')' => depth = depth.saturating_sub(1),
                _ => {}
            }
            if depth > DEEPEST {
                let message = format!("More than {DEEPEST} brackets inside each other: write it simpler.");
                return Err(self.wrong(Stretch { from, to: from + 1 }, message));
            }
        }
        Ok(())
    }

    /// What the grammar could not read, with a hint where another language's sign stands.
    fn unread(&self, error: &pest::error::Error<Rule>) -> FormulaError {
        let from = match error.location {
            InputLocation::Pos(at) | InputLocation::Span((at, _)) => at,
        };
        let rest = self.text.get(from..).unwrap_or_default();
        let message = match rest.chars().next() {
            None => "The formula ends too early: something is missing at its end.".to_owned(),
            Some('^') => "For a power write pow(x, y).".to_owned(),
            Some('%') => "For what is left of a division write mod(x, y).".to_owned(),
            Some('=') => "To compare write ==; a formula gives a number and sets nothing.".to_owned(),
            Some(',') => "A comma stands only between the numbers of a function; decimals take a point.".to_owned(),
            Some(')') => "This bracket was never opened, or something is missing before it.".to_owned(),
            Some(letter) => format!("\"{letter}\" cannot be read here."),
        };
        let to = from + rest.chars().next().map_or(0, char::len_utf8);
        self.wrong(Stretch { from, to }, message)
    }

    fn push(&mut self, step: Step) -> usize {
        let name = format!("{step:?}");
        if let Some(&known) = self.known.get(&name) {
            return known;
        }
        self.steps.push(step);
        self.known.insert(name, self.steps.len() - 1);
        self.steps.len() - 1
    }

    fn number(&self, part: Part) -> Result<usize, FormulaError> {
        if part.is_flag {
            let message = "This is a yes or no where a number is needed: write it as (… ? 1.0 : 0.0).".to_owned();
            return Err(self.wrong(part.place, message));
        }
        Ok(part.step)
    }

    fn flag(&self, part: Part) -> Result<usize, FormulaError> {
        if !part.is_flag {
            let message = "This is a number where a yes or no is needed: compare it, as in x > 0.0.".to_owned();
            return Err(self.wrong(part.place, message));
        }
        Ok(part.step)
    }

    fn expression(&mut self, pair: Pair<'_, Rule>) -> Result<Part, FormulaError> {
        let place = stretch(&pair);
        let mut parts = pair.into_inner();
        let Some(first) = parts.next() else { return Err(self.wrong(place, "Something is missing here.".into())) };
        let condition = self.condition(first.into_inner(), place)?;
        let (Some(yes), Some(no)) = (parts.next(), parts.next()) else { return Ok(condition) };
        let condition = self.flag(condition)?;
        let (yes, no) = (self.expression(yes)?, self.expression(no)?);
        if yes.is_flag != no.is_flag {
            return Err(self.wrong(no.place, "Both sides of the : must be numbers.".into()));
        }
        let step = self.push(Step::Select(condition, yes.step, no.step));
        Ok(Part { step, is_flag: yes.is_flag, place })
    }

    fn condition(&mut self, pairs: Pairs<'_, Rule>, place: Stretch) -> Result<Part, FormulaError> {
        // The parts are computed while they are combined, so all three closures need the builder.
        let this = std::cell::RefCell::new(self);
        ORDER
            .map_primary(|pair| this.borrow_mut().primary(pair))
            .map_prefix(|sign, part| this.borrow_mut().prefix(&sign, part?))
            .map_infix(|left, sign, right| this.borrow_mut().infix(left?, sign.as_rule(), right?))
            .parse(pairs)
            .map(|part| Part { place: Stretch { to: place.to.max(part.place.to), ..part.place }, ..part })
    }

    fn primary(&mut self, pair: Pair<'_, Rule>) -> Result<Part, FormulaError> {
        let place = stretch(&pair);
        match pair.as_rule() {
            Rule::number => {
                let digits = pair.as_str().trim_end_matches(['f', 'F']);
                let value: f64 = digits.parse().unwrap_or(f64::NAN);
                if !value.is_finite() {
                    return Err(self.wrong(place, "This number is too large.".into()));
                }
                Ok(Part { step: self.push(Step::Number(value)), is_flag: false, place })
            }
            Rule::name => self.name(pair.as_str(), place),
            Rule::call => self.call(pair),
            _ => self.expression(pair),
        }
    }

    fn name(&mut self, name: &str, place: Stretch) -> Result<Part, FormulaError> {
        let step = match name {
            "pi" => Step::Number(PI),
            "tau" => Step::Number(TAU),
            "true" | "false" => {
                let step = self.push(Step::Number(if name == "true" { 1.0 } else { 0.0 }));
                return Ok(Part { step, is_flag: true, place });
            }
            _ => match Variable::ALL.into_iter().find(|variable| variable.name() == name) {
                Some(variable) => Step::Variable(variable),
                None if FUNCTIONS.iter().any(|(known, _)| *known == name) => {
                    return Err(self.wrong(place, format!("{name} is a function: put what it takes in brackets.")));
                }
                None => {
                    let known: Vec<&str> = Variable::ALL.into_iter().map(Variable::name).collect();
                    let message = format!("There is no \"{name}\": use {}, pi or tau.", known.join(", "));
                    return Err(self.wrong(place, message));
                }
            },
        };
        Ok(Part { step: self.push(step), is_flag: false, place })
    }

    fn call(&mut self, pair: Pair<'_, Rule>) -> Result<Part, FormulaError> {
        let place = stretch(&pair);
        let mut parts = pair.into_inner();
        let Some(name) = parts.next() else { return Err(self.wrong(place, "A function is missing here.".into())) };
        let given: Vec<Part> = parts.map(|part| self.expression(part)).collect::<Result<_, _>>()?;
        let all = FUNCTIONS.iter().enumerate();
        let called: Vec<(usize, usize)> = all
            .filter(|(_, (known, _))| *known == name.as_str())
            .map(|(number, (_, function))| (number, function.takes()))
            .collect();
        if called.is_empty() {
            return Err(self.wrong(stretch(&name), format!("There is no function \"{}\".", name.as_str())));
        }
        let Some((function, _)) = called.iter().find(|(_, takes)| *takes == given.len()) else {
            let counts: Vec<String> = called.iter().map(|(_, takes)| takes.to_string()).collect();
            let message =
                format!("{} takes {} numbers, and {} are given.", name.as_str(), counts.join(" or "), given.len());
            return Err(self.wrong(place, message));
        };
        let mut steps = [0; 3];
        for (step, part) in steps.iter_mut().zip(&given) {
            *step = self.number(*part)?;
        }
        Ok(Part { step: self.push(Step::Call(*function, steps)), is_flag: false, place })
    }

    fn prefix(&mut self, sign: &Pair<'_, Rule>, part: Part) -> Result<Part, FormulaError> {
        let place = Stretch { from: stretch(sign).from, to: part.place.to };
        match sign.as_rule() {
            Rule::not => {
                let of = self.flag(part)?;
                let zero = self.push(Step::Number(0.0));
                Ok(Part { step: self.push(Step::Two(Binary::Equal, of, zero)), is_flag: true, place })
            }
            Rule::neg => {
                let of = self.number(part)?;
                Ok(Part { step: self.push(Step::Minus(of)), is_flag: false, place })
            }
            _ => Ok(Part { step: self.number(part)?, is_flag: false, place }),
        }
    }

    fn infix(&mut self, left: Part, sign: Rule, right: Part) -> Result<Part, FormulaError> {
        let place = Stretch { from: left.place.from, to: right.place.to };
        let (binary, of_flags, is_flag) = match sign {
            Rule::add => (Binary::Add, false, false),
            Rule::sub => (Binary::Subtract, false, false),
            Rule::mul => (Binary::Multiply, false, false),
            Rule::div => (Binary::Divide, false, false),
            Rule::lt => (Binary::Less, false, true),
            Rule::gt => (Binary::More, false, true),
            Rule::le => (Binary::LessOrEqual, false, true),
            Rule::ge => (Binary::MoreOrEqual, false, true),
            Rule::eq => (Binary::Equal, left.is_flag, true),
            Rule::ne => (Binary::Unequal, left.is_flag, true),
            Rule::and => (Binary::Multiply, true, true),
            Rule::or => (Binary::Most, true, true),
            _ => (Binary::Unequal, true, true),
        };
        let (a, b) =
            if of_flags { (self.flag(left)?, self.flag(right)?) } else { (self.number(left)?, self.number(right)?) };
        Ok(Part { step: self.push(Step::Two(binary, a, b)), is_flag, place })
    }
}

fn stretch(pair: &Pair<'_, Rule>) -> Stretch {
    let span = pair.as_span();
    Stretch { from: span.start(), to: span.end() }
}
