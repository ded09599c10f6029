/** Where an arrow key points to: x to the right, y up. Null for other keys. */
export function arrowOf(key: string): { readonly x: -1 | 0 | 1; readonly y: -1 | 0 | 1 } | null {
  switch (key) {
    case 'ArrowLeft':
      return { x: -1, y: 0 };
    case 'ArrowRight':
      return { x: 1, y: 0 };
    case 'ArrowUp':
      return { x: 0, y: 1 };
    case 'ArrowDown':
      return { x: 0, y: -1 };
    default:
      return null;
  }
}

export function isDeleteKey(key: string): boolean {
  return key === 'Delete' || key === 'Backspace';
}
