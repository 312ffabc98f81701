//! Pictures as they are seen: the PNG of layers, decoded.

use velvet_peg::Layer;
use velvet_peg::draw::{DrawOptions, draw, svg};

pub(crate) struct Picture {
    width: usize,
    pixels: Vec<u8>,
    svg: String,
}

impl Picture {
    pub(crate) fn bytes(layers: &[Layer], options: &DrawOptions) -> Vec<u8> {
        let folder = tempfile::tempdir().unwrap();
        let out = folder.path().join("map.png");
        draw(layers, &out, options).unwrap();
        std::fs::read(out).unwrap()
    }

    pub(crate) fn of(layers: &[Layer], options: &DrawOptions) -> Picture {
        let bytes = Picture::bytes(layers, options);
        let mut reader = png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
        let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
        let info = reader.next_frame(&mut pixels).unwrap();
        assert_eq!(info.color_type, png::ColorType::Rgba);
        Picture { width: info.width as usize, pixels, svg: svg(layers, options).unwrap().0 }
    }

    /// Red, green and blue of the pixel at a place.
    pub(crate) fn at(&self, x: f64, y: f64) -> [u8; 3] {
        let from = (y as usize * self.width + x as usize) * 4;
        [self.pixels[from], self.pixels[from + 1], self.pixels[from + 2]]
    }

    /// Middles of the circles on the map that have an outline of this colour.
    pub(crate) fn circles(&self, outline: &[u8; 3]) -> Vec<(f64, f64)> {
        let [r, g, b] = outline;
        let color = format!("stroke=\"#{r:02x}{g:02x}{b:02x}\"");
        let groups = self.svg.split("<g fill=").filter(|group| group.contains(&color));
        let circles = groups
            .flat_map(|group| group.split("</g>").next().unwrap_or("").split("<circle ").skip(1));
        circles
            .map(|circle| {
                let of = |name: &str| {
                    let rest = circle.split(&format!("{name}=\"")).nth(1).unwrap();
                    rest.split('"').next().unwrap().parse().unwrap()
                };
                (of("cx"), of("cy"))
            })
            .collect()
    }
}
