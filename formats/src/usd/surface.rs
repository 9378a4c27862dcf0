//! What triangles are made of.

use super::model::Own;
use super::values::{Name, Tuple, text};
use super::{MATERIALS, ROOT, Writer};
use std::io::{self, Write};

/// A material.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Material {
    /// In the colour of what it is on; one that shines by itself, or not.
    Plain(&'static str),
    /// Of a model of one's own, by its number.
    Own(usize),
}

/// Materials in the colour of what they are on: dull, and shining.
pub(super) const PLAIN: [&str; 2] = ["dull", "shining"];

/// How rough what has no material of its own is.
const ROUGH: f64 = 0.9;

pub(super) fn material_path(material: &Material, own: &[(Name, Own)]) -> String {
    let name = match material {
        Material::Plain(name) => name,
        Material::Own(number) => &*own[*number].0.identifier,
    };
    format!("/{ROOT}/{MATERIALS}/{name}")
}

impl<W: Write> Writer<W> {
    pub(super) fn put_materials(&mut self) -> io::Result<()> {
        self.stage.begin_plain("def Scope", MATERIALS, &[])?;
        for name in PLAIN {
            self.stage.begin_plain("def Material", name, &[])?;
            let path = self.stage.path();
            self.out_of(&path)?;
            self.stage.begin_plain("def Shader", "surface", &[])?;
            self.kind("UsdPreviewSurface")?;
            self.stage.set("color3f inputs:diffuseColor.connect", format!("<{path}/colour.outputs:result>"), &[])?;
            if name == PLAIN[1] {
                self.stage.set(
                    "color3f inputs:emissiveColor.connect",
                    format!("<{path}/colour.outputs:result>"),
                    &[],
                )?;
            }
            self.stage.set("float inputs:roughness", ROUGH, &[])?;
            self.stage.set("float inputs:metallic", 0, &[])?;
            self.surface_end()?;
            self.colour_reader()?;
            self.stage.end()?;
        }
        let own = std::mem::take(&mut self.own);
        for (name, own) in &own {
            self.put_own(name, own)?;
        }
        self.stage.end()
    }

    fn kind(&mut self, kind: &str) -> io::Result<()> {
        self.stage.set("uniform token info:id", text(kind), &[])
    }

    fn out_of(&mut self, path: &str) -> io::Result<()> {
        self.stage.set("token outputs:surface.connect", format!("<{path}/surface.outputs:surface>"), &[])
    }

    fn surface_end(&mut self) -> io::Result<()> {
        self.stage.say("token outputs:surface")?;
        self.stage.end()
    }

    fn colour_reader(&mut self) -> io::Result<()> {
        self.stage.begin_plain("def Shader", "colour", &[])?;
        self.kind("UsdPrimvarReader_float3")?;
        self.stage.set("string inputs:varname", "\"displayColor\"", &[])?;
        self.stage.say("float3 outputs:result")?;
        self.stage.end()
    }

    fn put_own(&mut self, name: &Name, own: &Own) -> io::Result<()> {
        self.stage.begin("def Material", name, &[])?;
        let path = self.stage.path();
        self.out_of(&path)?;
        self.stage.begin_plain("def Shader", "surface", &[])?;
        self.kind("UsdPreviewSurface")?;
        let colour = "color3f inputs:diffuseColor";
        if own.picture.is_some() {
            self.stage.set(&format!("{colour}.connect"), format!("<{path}/picture.outputs:rgb>"), &[])?;
        } else if own.coloured {
            self.stage.set(&format!("{colour}.connect"), format!("<{path}/colour.outputs:result>"), &[])?;
        } else {
            let [r, g, b, _] = own.colour;
            self.stage.set(colour, Tuple([r, g, b]), &[])?;
        }
        if let (Some(least), Some(_)) = (own.cut_out, &own.picture) {
            self.stage.set("float inputs:opacity.connect", format!("<{path}/picture.outputs:a>"), &[])?;
            self.stage.set("float inputs:opacityThreshold", least, &[])?;
        } else {
            self.stage.set("float inputs:opacity", own.colour[3], &[])?;
        }
        self.stage.set("float inputs:roughness", own.rough, &[])?;
        self.stage.set("float inputs:metallic", own.metal, &[])?;
        self.stage.set("color3f inputs:emissiveColor", Tuple(own.light), &[])?;
        self.surface_end()?;
        if let Some(file) = &own.picture {
            self.stage.begin_plain("def Shader", "picture", &[])?;
            self.kind("UsdUVTexture")?;
            self.stage.set("asset inputs:file", format!("@{file}@"), &[])?;
            self.stage.set("float2 inputs:st.connect", format!("<{path}/spots.outputs:result>"), &[])?;
            self.stage.set("float4 inputs:scale", Tuple(own.colour), &[])?;
            self.stage.set("token inputs:sourceColorSpace", "\"sRGB\"", &[])?;
            self.stage.set("token inputs:wrapS", "\"repeat\"", &[])?;
            self.stage.set("token inputs:wrapT", "\"repeat\"", &[])?;
            self.stage.say("float3 outputs:rgb")?;
            self.stage.say("float outputs:a")?;
            self.stage.end()?;
            self.stage.begin_plain("def Shader", "spots", &[])?;
            self.kind("UsdPrimvarReader_float2")?;
            self.stage.set("string inputs:varname", "\"st\"", &[])?;
            self.stage.say("float2 outputs:result")?;
            self.stage.end()?;
        } else if own.coloured {
            self.colour_reader()?;
        }
        self.stage.end()
    }
}
