// Pictures as textures: uploaded once, each showing one level of detail.

const PAD = 8; // as in kunstgriff/paint/painter.py
const DETAIL_LIMIT = 3;

/** The mipmap level for pictures shown at a scale, as the server's painter chooses it. */
export function detailAt(scale) {
  return Math.min(Math.max(Math.round(-Math.log2(Math.max(scale, 1e-6)) - 0.25), 0), DETAIL_LIMIT);
}

/** A picture as a texture inside a transparent border of PAD at least, and its place in it. */
export function upload(gl, bitmap) {
  const width = Math.ceil((bitmap.width + 2 * PAD) / PAD) * PAD;
  const height = Math.ceil((bitmap.height + 2 * PAD) / PAD) * PAD;
  const texture = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, texture);
  gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
  gl.pixelStorei(gl.UNPACK_COLORSPACE_CONVERSION_WEBGL, gl.NONE);
  gl.texImage2D(
    gl.TEXTURE_2D,
    0,
    gl.RGBA,
    width,
    height,
    0,
    gl.RGBA,
    gl.UNSIGNED_BYTE,
    new Uint8Array(width * height * 4),
  );
  gl.texSubImage2D(gl.TEXTURE_2D, 0, PAD, PAD, gl.RGBA, gl.UNSIGNED_BYTE, bitmap);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAX_LEVEL, DETAIL_LIMIT);
  gl.generateMipmap(gl.TEXTURE_2D);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
  return { texture, place: [bitmap.width / width, bitmap.height / height, PAD / width, PAD / height] };
}

/** Let every picture show one level of detail; choosing and mixing levels takes software renderers half as long again. */
export function showLevel(gl, textures, level) {
  for (const known of textures.values()) {
    if (known && known.level !== level) {
      gl.bindTexture(gl.TEXTURE_2D, known.texture);
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_BASE_LEVEL, level);
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAX_LEVEL, level);
      known.level = level;
    }
  }
}
