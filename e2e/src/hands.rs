//! What a person does with pointer, keys and files.

use super::{COMING, DRAG_STEP, DRAG_STEPS, PATIENCE, REST, REST_LOOKS, Visit};
use anyhow::{Context, Result, anyhow};
use fantoccini::Locator;
use fantoccini::actions::{InputSource, KeyAction, KeyActions, MouseActions, PointerAction};
use fantoccini::elements::Element;
use fantoccini::key::Key;
use serde_json::{Value, json};
use std::path::Path;
use std::time::{Duration, Instant};

impl Visit {
    /// The element, as soon as it is there.
    pub async fn find(&self, css: &str) -> Result<Element> {
        let found = self.client.wait().at_most(PATIENCE).for_element(Locator::Css(css)).await;
        found.map_err(|error| anyhow!("{css}: {error}"))
    }

    /// The button or link that says this.
    pub async fn saying(&self, text: &str) -> Result<Element> {
        let path = format!(
            "//*[self::button or self::a or @role='menuitem' or @role='option'][contains(normalize-space(.), \"{text}\")]"
        );
        let found = self.client.wait().at_most(PATIENCE).for_element(Locator::XPath(&path)).await;
        found.map_err(|error| anyhow!("nothing says \"{text}\": {error}"))
    }

    /// Clicks what says this.
    pub async fn click(&self, text: &str) -> Result<()> {
        self.saying(text).await?.click().await.with_context(|| format!("\"{text}\" cannot be clicked"))
    }

    /// Brings a scene in, and gives its id.
    pub async fn bring_in(&self, scene: &Value) -> Result<String> {
        let bring = format!(
            "const done = arguments[0]; fetch('/api/scenes/bring-in', {{ method: 'POST', headers: {{ 'content-type': 'application/json' }}, body: {} }}).then((r) => r.json()).then((made) => done(made.id))",
            Value::from(scene.to_string())
        );
        let id = self.client.execute_async(&bring, vec![]).await?;
        Ok(id.as_str().context("no scene was made")?.to_owned())
    }

    /// Begins from a starter of the Pattern book, which may lie below what is seen of it.
    pub async fn begin_from(&self, starter: &str) -> Result<()> {
        let home = format!("{}/", self.base);
        if self.client.current_url().await?.as_str() != home {
            self.client.goto(&home).await?;
        }
        let css = format!("button[aria-label=\"Begin from {starter}\"]");
        // The first page makes the pictures of all scenes before: on a busy machine that takes longest of all.
        if self.find(&css).await.is_err() {
            self.find(&css).await?;
        }
        self.js(&format!("document.querySelector({}).scrollIntoView({{ block: 'center' }})", json!(css))).await?;
        self.press(&css).await?;
        self.until("a seam", "return document.querySelector('.badge') != null").await?;
        Ok(())
    }

    /// Clicks the element, as soon as it can be: what has just come may still be on its way to its place.
    pub async fn press(&self, css: &str) -> Result<()> {
        let begun = Instant::now();
        loop {
            match self.find(css).await?.click().await {
                Ok(()) => return Ok(()),
                Err(error) if begun.elapsed() > COMING => {
                    return Err(error).with_context(|| format!("{css} cannot be clicked"));
                }
                Err(_) => tokio::time::sleep(Duration::from_millis(100)).await,
            }
        }
    }

    /// Adds a node to the Weave by typing its name; what is selected is threaded to it.
    pub async fn add_node(&self, name: &str) -> Result<()> {
        self.js("document.querySelector('.weave-body').focus()").await?;
        self.keys("n", &[]).await?;
        let takes = "return document.activeElement?.getAttribute('aria-label') === 'Node to add'";
        self.until("where a node's name is typed", takes).await?;
        self.keys(name, &[]).await?;
        let typed = format!("return document.activeElement?.value === {}", json!(name));
        self.until("what was typed", &typed).await?;
        self.until("a node of that name", "return document.querySelector('#add-listbox [role=option]') !== null")
            .await?;
        self.keys(&char::from(Key::Enter).to_string(), &[]).await?;
        self.until("it is added", "return document.querySelector('.add-node') === null").await?;
        self.kept().await
    }

    /// Selects the node with this name by a click on its slip.
    pub async fn choose_node(&self, name: &str) -> Result<()> {
        self.press(&format!(".react-flow__node[data-id=\"{}\"]", self.node(name).await?)).await
    }

    /// Where the middle of an element is, in pixels of the page.
    pub async fn middle(&self, css: &str) -> Result<(f64, f64)> {
        self.middle_of(css, &format!("return document.querySelector({})", json!(css))).await
    }

    /// Presses the pointer at a place, moves it in steps, lets go.
    pub async fn drag(&self, from: (f64, f64), by: (f64, f64)) -> Result<()> {
        let mut mouse = MouseActions::new("mouse".to_owned())
            .then(PointerAction::MoveTo { duration: None, x: from.0, y: from.1 })
            .then(PointerAction::Down { button: 0 });
        let steps = if by == (0.0, 0.0) { 1 } else { DRAG_STEPS };
        for step in 1..=steps {
            let share = f64::from(step) / f64::from(steps);
            let (x, y) = (from.0 + by.0 * share, from.1 + by.1 * share);
            mouse = mouse.then(PointerAction::MoveTo { duration: Some(DRAG_STEP), x, y });
        }
        self.client.perform_actions(mouse.then(PointerAction::Up { button: 0 })).await?;
        Ok(self.client.release_actions().await?)
    }

    /// The same with keys held.
    pub async fn drag_holding(&self, from: (f64, f64), by: (f64, f64), holding: &[Key]) -> Result<()> {
        let mut down = KeyActions::new("keyboard".to_owned());
        let mut up = KeyActions::new("keyboard".to_owned());
        for &key in holding {
            down = down.then(KeyAction::Down { value: key.into() });
            up = up.then(KeyAction::Up { value: key.into() });
        }
        self.client.perform_actions(down).await?;
        let mut mouse = MouseActions::new("mouse".to_owned())
            .then(PointerAction::MoveTo { duration: None, x: from.0, y: from.1 })
            .then(PointerAction::Down { button: 0 });
        for step in 1..=DRAG_STEPS {
            let share = f64::from(step) / f64::from(DRAG_STEPS);
            let (x, y) = (from.0 + by.0 * share, from.1 + by.1 * share);
            mouse = mouse.then(PointerAction::MoveTo { duration: Some(DRAG_STEP), x, y });
        }
        self.client.perform_actions(mouse.then(PointerAction::Up { button: 0 })).await?;
        self.client.perform_actions(up).await?;
        Ok(self.client.release_actions().await?)
    }

    /// Brings a file in by the field with this label.
    pub async fn give_file(&self, label: &str, file: &Path) -> Result<()> {
        let css = format!("input[type=file][aria-label=\"{label}\"]");
        let field = self.client.wait().at_most(PATIENCE).for_element(Locator::Css(&css)).await;
        let path = file.canonicalize()?;
        field.with_context(|| css)?.send_keys(&path.to_string_lossy()).await?;
        Ok(())
    }

    /// Where the middle of the element is that this script gives, in pixels of the page, once it rests there: what
    /// the picture shows follows a change by a moment.
    pub async fn middle_of(&self, what: &str, script: &str) -> Result<(f64, f64)> {
        let wrapped = format!(
            "const e = (() => {{ {script} }})(); if (!e || getComputedStyle(e).visibility === 'hidden') return null; const b = e.getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]"
        );
        let mut at = self.until(what, &wrapped).await?;
        for _ in 0..REST_LOOKS {
            tokio::time::sleep(REST).await;
            self.two_pictures().await?;
            let again = self.until(what, &wrapped).await?;
            if again == at {
                break;
            }
            at = again;
        }
        Ok((at[0].as_f64().context("x")?, at[1].as_f64().context("y")?))
    }

    /// Moves the pointer to a place and leaves it there.
    pub async fn hover(&self, (x, y): (f64, f64)) -> Result<()> {
        let mouse = MouseActions::new("mouse".to_owned()).then(PointerAction::MoveTo { duration: None, x, y });
        Ok(self.client.perform_actions(mouse).await?)
    }

    /// Presses and lets go of the pointer at a place.
    pub async fn tap(&self, at: (f64, f64)) -> Result<()> {
        self.drag(at, (0.0, 0.0)).await
    }

    /// Presses and lets go of the pointer twice at a place, as quickly as a double click.
    pub async fn tap_twice(&self, at: (f64, f64)) -> Result<()> {
        let mut mouse =
            MouseActions::new("mouse".to_owned()).then(PointerAction::MoveTo { duration: None, x: at.0, y: at.1 });
        for _ in 0..2 {
            mouse = mouse.then(PointerAction::Down { button: 0 }).then(PointerAction::Up { button: 0 });
        }
        self.client.perform_actions(mouse).await?;
        Ok(self.client.release_actions().await?)
    }

    /// Presses keys one after another, `holding` some.
    pub async fn keys(&self, keys: &str, holding: &[Key]) -> Result<()> {
        let mut actions = KeyActions::new("keyboard".to_owned());
        for &held in holding {
            actions = actions.then(KeyAction::Down { value: held.into() });
        }
        for value in keys.chars() {
            actions = actions.then(KeyAction::Down { value }).then(KeyAction::Up { value });
        }
        for &held in holding {
            actions = actions.then(KeyAction::Up { value: held.into() });
        }
        self.client.perform_actions(actions).await?;
        Ok(self.client.release_actions().await?)
    }

    /// Types into the field with this label, replacing what is there, and presses Enter.
    pub async fn fill(&self, label: &str, text: &str) -> Result<()> {
        self.press(&format!("input[aria-label=\"{label}\"]")).await?;
        self.keys("a", &[Key::Control]).await?;
        self.keys(text, &[]).await?;
        self.keys(&char::from(Key::Enter).to_string(), &[]).await
    }

    /// Chooses a word from the list with this label.
    pub async fn choose(&self, label: &str, option: &str) -> Result<()> {
        self.press(&format!("[role=combobox][aria-label=\"{label}\"]")).await?;
        self.click(option).await
    }

    /// Gives a number of the selected node in another way, such as Keys or Formula, or by a signal of this name.
    pub async fn give(&self, label: &str, way: &str) -> Result<()> {
        self.press(&format!("button[aria-label^=\"How {label} is given\"]")).await?;
        let script = format!(
            "const item = [...document.querySelectorAll('[role=menuitem]')].find((e) => e.textContent === {}); item?.click(); return item !== undefined",
            json!(way)
        );
        self.until(way, &script).await?;
        self.until("a shut menu", "return document.querySelector('[role=menu]') === null").await?;
        Ok(())
    }

    /// How many pixels of the View are such, by their r, g and b up to 255, on a picture of the page.
    pub async fn pixels(&self, such: &str) -> Result<f64> {
        let picture = self.client.screenshot().await?;
        let script = format!(
            "const [bytes, done] = arguments;
            createImageBitmap(new Blob([Uint8Array.from(bytes)])).then((picture) => {{
                const box = document.querySelector('.view-body canvas').getBoundingClientRect();
                const pen = new OffscreenCanvas(picture.width, picture.height).getContext('2d');
                pen.drawImage(picture, 0, 0);
                const {{ data }} = pen.getImageData(box.x, box.y, box.width, box.height);
                let count = 0;
                for (let i = 0; i < data.length; i += 4) {{
                    const [r, g, b] = data.subarray(i, i + 3);
                    if ({such}) count += 1;
                }}
                done(count);
            }}, (error) => done(String(error)));"
        );
        let counted = self.client.execute_async(&script, vec![picture.into()]).await?;
        counted.as_f64().with_context(|| format!("{counted}"))
    }
}
