// A library that ships with the page; only that these are there is checked.
export const createProgramInfo: any;
export const createBufferInfoFromArrays: any;
export const createVertexArrayInfo: any;
export const createFramebufferInfo: any;
export const setAttribInfoBufferFromArray: any;
export const setUniforms: any;
