//! The hand on the stage: clicks, drags and boxes at places in mm.

use crate::harness::Hand;
use thirtyfour::Key;

impl Hand<'_> {
    /// Sends pointer events to the stage at places in mm of the bench.
    async fn point(&self, steps: &[(&str, f64, f64)], shift: bool) {
        for (kind, x, y) in steps {
            // The stage's view is what its own zooming keeps: fitted to everything shown.
            let script = format!(
                "const s = document.querySelector('#stage').stage, v = s.view, c = s.canvas, r = c.getBoundingClientRect();
                 const clientX = r.left + v.x + {x} * v.k, clientY = r.top + v.y - {y} * v.k;
                 c.dispatchEvent(new PointerEvent('{kind}', {{ clientX, clientY, pointerId: 1, bubbles: true, shiftKey: {shift} }}));"
            );
            self.page.execute(script, Vec::new()).await.expect("a script runs");
        }
    }

    /// Clicks the stage at a place in mm of the bench.
    pub async fn stage_click(&self, x: f64, y: f64, shift: bool) {
        self.point(&[("pointerdown", x, y), ("pointerup", x, y)], shift).await;
    }

    /// Drags on the stage from place to place, by way of the middle, in mm of the bench.
    pub async fn stage_drag(&self, from: (f64, f64), to: (f64, f64)) {
        let middle = (f64::midpoint(from.0, to.0), f64::midpoint(from.1, to.1));
        self.point(
            &[("pointerdown", from.0, from.1), ("pointermove", middle.0, middle.1), ("pointermove", to.0, to.1), ("pointerup", to.0, to.1)],
            false,
        )
        .await;
    }

    /// The same, and does not let go.
    pub async fn stage_hold(&self, from: (f64, f64), to: (f64, f64)) {
        self.point(&[("pointerdown", from.0, from.1), ("pointermove", to.0 - 3.0, to.1), ("pointermove", to.0, to.1)], false).await;
    }

    /// Goes on with what is held.
    pub async fn stage_on(&self, to: (f64, f64)) {
        self.point(&[("pointermove", to.0, to.1)], false).await;
    }

    /// Lets go of what is held.
    pub async fn stage_let_go(&self, at: (f64, f64)) {
        self.point(&[("pointerup", at.0, at.1)], false).await;
    }

    /// Draws a box on the stage with Shift held.
    pub async fn stage_box(&self, from: (f64, f64), to: (f64, f64)) {
        self.point(&[("pointerdown", from.0, from.1), ("pointermove", to.0, to.1), ("pointerup", to.0, to.1)], true).await;
    }

    /// Carries what is chosen from a place in mm of the bench to something beside the stage.
    pub async fn carry(&self, from: (f64, f64), to: &str) {
        self.point(&[("pointerdown", from.0, from.1)], false).await;
        let script = format!(
            "const c = document.querySelector('#stage').stage.canvas, r = document.querySelector(\"{to}\").getBoundingClientRect();
             for (const kind of ['pointermove', 'pointermove', 'pointerup']) c.dispatchEvent(new PointerEvent(kind, {{ clientX: r.left + 20, clientY: r.top + 8, pointerId: 1, bubbles: true }}));"
        );
        self.page.execute(script, Vec::new()).await.expect("a script runs");
    }

    /// Draws a box on the pages of a PDF, in mm from the lower left corner of the first.
    pub async fn box_on_page(&self, from: (f64, f64), to: (f64, f64)) {
        let pt = |(x, y): (f64, f64)| (x * 72.0 / 25.4, -y * 72.0 / 25.4);
        for (kind, (x, y)) in [("pointerdown", pt(from)), ("pointermove", pt(to)), ("pointerup", pt(to))] {
            let script = format!(
                "const s = document.querySelector('.page-stage'), p = new DOMPoint({x}, {y}).matrixTransform(s.getScreenCTM());
                 s.dispatchEvent(new PointerEvent('{kind}', {{ clientX: p.x, clientY: p.y, pointerId: 1, bubbles: true }}));"
            );
            self.page.execute(script, Vec::new()).await.expect("a script runs");
        }
    }

    /// Where a place in mm of the bench is on the screen, pixels.
    pub async fn on_screen(&self, (x, y): (f64, f64)) -> (i64, i64) {
        let script = format!(
            "(() => {{ const s = document.querySelector('#stage').stage, v = s.view, r = s.canvas.getBoundingClientRect(); return [r.left + v.x + {x} * v.k, r.top + v.y - {y} * v.k] }})()"
        );
        let at = self.value(&script).await;
        let pixel = |n: usize| at[n].as_f64().unwrap_or(0.0).round() as i64;
        (pixel(0), pixel(1))
    }

    /// Drags with the mouse itself from place to place in mm of the bench, with keys held.
    pub async fn mouse_drag(&self, from: (f64, f64), to: (f64, f64), keys: &[Key]) {
        let ((ax, ay), (bx, by)) = (self.on_screen(from).await, self.on_screen(to).await);
        let mut chain = self.page.action_chain().move_to(ax, ay);
        for key in keys {
            chain = chain.key_down(key.clone());
        }
        chain = chain.click_and_hold().move_to(i64::midpoint(ax, bx), i64::midpoint(ay, by)).move_to(bx - 1, by).move_to(bx, by).release();
        for key in keys {
            chain = chain.key_up(key.clone());
        }
        chain.perform().await.expect("the mouse");
    }

    /// Clicks with the mouse itself at a place in mm of the bench, with a key held.
    pub async fn mouse_click(&self, at: (f64, f64), key: Option<Key>) {
        let (x, y) = self.on_screen(at).await;
        let mut chain = self.page.action_chain().move_to(x, y);
        if let Some(key) = &key {
            chain = chain.key_down(key.clone());
        }
        chain = chain.click();
        if let Some(key) = &key {
            chain = chain.key_up(key.clone());
        }
        chain.perform().await.expect("the mouse");
    }
}
