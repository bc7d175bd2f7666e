//! Boxes that fit what a picture shows.

use super::aabb::Aabb;
use glam::Vec3;

impl Aabb {
    /// The smallest box around all pixels that are at least as opaque as `threshold`, read row by row from the top; `None`
    /// if there are none.
    ///
    /// A row is the opacity of its pixels from left to right, 0 to 255. The box is in metres, from the lower left corner of a
    /// picture whose pixels are `pixel` metres wide and high: x to the right, y upwards, without thickness along z. One row
    /// is read at a time, so a picture can be decoded while it is read; O(pixels).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let picture: [&[u8]; 4] = [
    ///     &[0, 0, 0, 0, 0],
    ///     &[0, 0, 255, 9, 0],
    ///     &[0, 200, 255, 0, 0],
    ///     &[0, 0, 0, 0, 0],
    /// ];
    /// let gull = Aabb::from_opaque(picture, 128, 0.1).expect("there is something to see");
    /// assert!(gull.min.abs_diff_eq(Vec3::new(0.1, 0.1, 0.0), 1e-6));
    /// assert!(gull.max.abs_diff_eq(Vec3::new(0.3, 0.3, 0.0), 1e-6));
    /// let dense = Aabb::from_opaque(picture, 255, 1.0).expect("two pixels are");
    /// assert_eq!(dense.size(), Vec3::new(1.0, 2.0, 0.0));
    /// ```
    #[must_use]
    pub fn from_opaque<R: AsRef<[u8]>>(
        rows: impl IntoIterator<Item = R>,
        threshold: u8,
        pixel: f32,
    ) -> Option<Self> {
        let is_opaque = |opacity: &u8| *opacity >= threshold;
        let mut count = 0;
        // Columns from left to right, rows from the top, both up to the last one.
        let mut columns: Option<(usize, usize)> = None;
        let mut within: Option<(usize, usize)> = None;
        for (number, row) in rows.into_iter().enumerate() {
            count = number + 1;
            let row = row.as_ref();
            let ends = (
                row.iter().position(is_opaque),
                row.iter().rposition(is_opaque),
            );
            let (Some(first), Some(last)) = ends else {
                continue;
            };
            columns = Some(columns.map_or((first, last), |(least, most)| {
                (least.min(first), most.max(last))
            }));
            within = Some(within.map_or((number, number), |(top, _)| (top, number)));
        }
        let ((left, right), (top, bottom)) = (columns?, within?);
        let at = |pixels: usize| pixels as f32 * pixel;
        Some(Self {
            min: Vec3::new(at(left), at(count - bottom - 1), 0.0),
            max: Vec3::new(at(right + 1), at(count - top), 0.0),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_may_differ_in_length_and_be_empty() {
        let rows: [Vec<u8>; 3] = [vec![], vec![0, 1], vec![1]];
        let fit = Aabb::from_opaque(rows, 1, 1.0).expect("two pixels are opaque");
        assert_eq!((fit.min, fit.max), (Vec3::ZERO, Vec3::new(2.0, 2.0, 0.0)));
        assert_eq!(Aabb::from_opaque([[0_u8; 4]; 4], 1, 1.0), None);
        assert_eq!(Aabb::from_opaque::<&[u8]>([], 0, 1.0), None);
    }

    #[test]
    fn one_pixel_of_a_corner_is_one_pixel() {
        for (row, column) in [(0, 0), (0, 7), (4, 0), (4, 7)] {
            let mut picture = [[0_u8; 8]; 5];
            picture[row][column] = 9;
            let fit = Aabb::from_opaque(picture, 9, 1.0).expect("one pixel is opaque");
            assert_eq!(fit.size(), Vec3::new(1.0, 1.0, 0.0));
            assert_eq!(fit.min, Vec3::new(column as f32, (4 - row) as f32, 0.0));
        }
    }
}
