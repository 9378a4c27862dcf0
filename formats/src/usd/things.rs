//! Things that stand each by itself.

use super::forms::{Coloured, Form, MESH, extent, shaded};
use super::surface::{Material, PLAIN, material_path};
use super::values::{List, Name, Place, Tuple, Turn, text};
use super::{JUST, UsdError, Writer};
use glam::DVec3;
use std::io::Write;
use zickzack_core::colour::Light;
use zickzack_core::keys::{Channel, Key, ObjectKeys, merge};

impl<W: Write> Writer<W> {
    /// A thing of the Output that is open: straight keys of its pose, what it looks like where it is seen, its joints' keys where it
    /// has some, and its colours.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn thing(&mut self, name: &str, keys: &ObjectKeys, (form, colours): (Form, &Coloured)) -> Result<(), UsdError> {
        let name = self.inside.name(name);
        let kind = if keys.limbs.is_some() { "def SkelRoot" } else { "def Xform" };
        let shades = self.shades_of(form).map(|(shades, own)| (shades.to_vec(), own));
        // As its form is by itself.
        let plain = shades.as_ref().is_none_or(|(_, own)| colours.0.iter().all(|(_, light)| light == own));
        let mut more = vec![self.reference(form)];
        if plain && keys.limbs.is_none() {
            more.push("instanceable = true".to_owned());
        }
        self.open_thing(kind, &name, keys, &more)?;
        if let (Some((shades, _)), false) = (shades, plain) {
            self.stage.begin_plain("over", MESH, &[])?;
            self.coloured(colours, &shades)?;
            self.stage.end()?;
        }
        keys.limbs.iter().try_for_each(|limbs| self.move_joints(form, limbs))?;
        Ok(self.stage.end()?)
    }

    /// A thing of the Output that is open whose corners are elsewhere at each of some frames, rising, always as many; `at` gives
    /// them.
    ///
    /// # Errors
    /// What `at` says; where it cannot be written.
    pub fn changing<E: From<UsdError> + From<std::io::Error>>(
        &mut self,
        name: &str,
        keys: &ObjectKeys,
        (triangles, frames, colours): (&[[u32; 3]], &[f64], &Coloured),
        mut at: impl FnMut(f64) -> Result<Vec<DVec3>, E>,
    ) -> Result<(), E> {
        let name = self.inside.name(name);
        self.open_thing("def Xform", &name, keys, &[])?;
        self.stage.begin_plain("def Mesh", MESH, &["prepend apiSchemas = [\"MaterialBindingAPI\"]".to_owned()])?;
        let path = material_path(&Material::Plain(PLAIN[0]), &[]);
        self.stage.set("rel material:binding", format!("<{path}>"), &[])?;
        self.put_triangles(triangles)?;
        self.stage.say("color3f[] primvars:displayColor (interpolation = \"constant\")")?;
        self.coloured(colours, &[1.0])?;
        let first = self.first;
        let mut boxes = Vec::with_capacity(frames.len());
        self.stage.over_time(
            "point3f[] points",
            frames.iter().map(|frame| (frame + first, *frame)),
            |out, frame| {
                let places = at(frame)?;
                boxes.push((frame + first, extent(&places)));
                Ok::<(), E>(write!(out, "{}", List(places.iter().map(|at| Tuple(at.to_array()))))?)
            },
        )?;
        self.stage.over_time("float3[] extent", boxes, |out, own| Ok::<(), E>(write!(out, "{own}")?))?;
        self.stage.end()?;
        Ok(self.stage.end()?)
    }

    /// Opens a thing with its pose over time, and when it is seen.
    fn open_thing(&mut self, kind: &str, name: &Name, keys: &ObjectKeys, more: &[String]) -> Result<(), UsdError> {
        self.stage.begin(kind, name, more)?;
        self.channel("double3 xformOp:translate", &merge(&keys.position), |at| Place(at).to_string())?;
        self.channel("quatf xformOp:orient", &keys.orientation, |turn| Turn(turn).to_string())?;
        self.channel("float3 xformOp:scale", &keys.scale, |size| Tuple(size).to_string())?;
        self.order()?;
        let word = |there: bool| text(if there { "inherited" } else { "invisible" });
        match &keys.presence[..] {
            [(_, true)] => {}
            [(_, there)] => self.stage.set("token visibility", word(*there), &[])?,
            all => {
                let times = all.iter().map(|(frame, there)| (frame + self.first, *there)).collect::<Vec<_>>();
                self.stage.over_time("token visibility", times, |out, there| {
                    Ok::<(), UsdError>(write!(out, "{}", word(there))?)
                })?;
            }
        }
        Ok(())
    }

    fn channel<const N: usize>(
        &mut self,
        what: &str,
        channel: &Channel<N>,
        written: impl Fn([f64; N]) -> String,
    ) -> Result<(), UsdError> {
        if channel.is_still() {
            return Ok(self.stage.set(what, written(channel.keys[0].value), &[])?);
        }
        let keys = &channel.keys;
        let time = |(i, key): (usize, &Key<N>)| {
            let jumps = keys.get(i + 1).is_some_and(|next| next.frame == key.frame);
            (self.first + if jumps { key.frame - JUST } else { key.frame }, key.value)
        };
        let times: Vec<(f64, [f64; N])> = keys.iter().enumerate().map(time).collect();
        self.stage.over_time(what, times, |out, value| Ok::<(), UsdError>(write!(out, "{}", written(value))?))
    }

    /// The colours of the mesh that is open, in each of its shades.
    pub(super) fn coloured(&mut self, colours: &Coloured, shades: &[f64]) -> Result<(), UsdError> {
        const WHAT: &str = "color3f[] primvars:displayColor";
        match &colours.0[..] {
            [(_, light)] => Ok(self.stage.set(WHAT, shaded(*light, shades), &[])?),
            all => {
                let times: Vec<(f64, Light)> = all.iter().map(|(frame, light)| (self.first + frame, *light)).collect();
                self.stage
                    .over_time(WHAT, times, |out, light| Ok::<(), UsdError>(write!(out, "{}", shaded(light, shades))?))
            }
        }
    }
}
