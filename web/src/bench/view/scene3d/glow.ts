import { CanvasTexture } from 'three';

let glowPicture: CanvasTexture | null = null;

/** A soft round spot of light. */
export function glowTexture(): CanvasTexture {
  if (glowPicture) return glowPicture;
  const canvas = document.createElement('canvas');
  canvas.width = canvas.height = 64;
  const pen = canvas.getContext('2d');
  if (pen) {
    const shade = pen.createRadialGradient(32, 32, 2, 32, 32, 32);
    shade.addColorStop(0, 'rgba(255,255,255,0.55)');
    shade.addColorStop(0.35, 'rgba(255,255,255,0.18)');
    shade.addColorStop(1, 'rgba(255,255,255,0)');
    pen.fillStyle = shade;
    pen.fillRect(0, 0, 64, 64);
  }
  glowPicture = new CanvasTexture(canvas);
  return glowPicture;
}
